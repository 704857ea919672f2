"""Actions on planning, one file per verb."""
