"""What can happen with retention, one file a verb."""
