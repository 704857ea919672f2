"""What can happen here: one module for each verb."""
