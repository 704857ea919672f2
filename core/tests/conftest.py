from collections.abc import Callable

import pytest

COMPARED: dict[str, int] = {}


@pytest.fixture
def counted() -> Callable[[str, int], None]:
    """Notes how many pairs of versions were compared with an oracle."""
    return COMPARED.__setitem__


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    if COMPARED:
        terminalreporter.section("pairs of versions ordered as their oracle orders them")
        for oracle, count in COMPARED.items():
            terminalreporter.line(f"{oracle}: {count:,}")
