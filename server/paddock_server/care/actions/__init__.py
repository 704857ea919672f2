"""What changes planned care, one file for each verb."""
