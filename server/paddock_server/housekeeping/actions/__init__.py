"""What can happen in the server's housekeeping, one file a verb."""
