"""What can happen to the server's own upkeep, one file a verb."""
