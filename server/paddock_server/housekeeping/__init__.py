"""What the server does for itself: rules of retention, backups by a schedule, and how its storage grows."""
