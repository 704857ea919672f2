"""Values for CSV files that people open in a spreadsheet."""

from __future__ import annotations

from datetime import datetime


def spreadsheet_cell(value: object) -> str:
    """As text that no spreadsheet runs as a formula; times in ISO 8601, UTC."""
    if value is None:
        return ""
    text = value.isoformat(timespec="seconds") if isinstance(value, datetime) else str(value)
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
