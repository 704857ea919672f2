"""What changes runs, one file for each verb."""
