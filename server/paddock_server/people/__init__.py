"""People, what they may do, and the tokens of their programs."""
