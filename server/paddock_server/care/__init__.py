"""Planned care: times at which hosts are held, typed in or read from an iCalendar file, and offered as a feed."""
