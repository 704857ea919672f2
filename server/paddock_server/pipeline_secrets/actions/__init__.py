"""What changes secrets, one file for each verb."""
