"""Actions on maintenance windows, one file per verb."""
