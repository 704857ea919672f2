"""Planning: how busy the fleet was, which work has thin cover, and rehearsals of what a change would do."""
