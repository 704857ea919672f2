"""Maintenance windows: planned times during which hosts take no jobs; entered by hand or imported, and offered as
iCalendar."""
