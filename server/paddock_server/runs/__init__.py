"""What becomes of an attempt: its steps, its log, what it used, the files that it made, its folder."""
