"""What is computed of a run: its log as text, its tests, its proof, and what differs between two."""
