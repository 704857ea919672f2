"""What can happen to rules of telling, and to what they send."""
