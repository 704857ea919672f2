"""Paddocks, entry passes, the gate, and hosts."""
