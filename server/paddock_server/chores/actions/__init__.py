"""What changes chores, one file for each verb."""
