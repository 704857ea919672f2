"""Planning: how busy the fleet was, how fast its hosts are, and what a change would do."""
