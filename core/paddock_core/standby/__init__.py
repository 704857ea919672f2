"""Standby: hosts that are powered down on purpose and wake for a waiting job."""
