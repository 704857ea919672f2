"""What can happen with standby, one file a verb."""
