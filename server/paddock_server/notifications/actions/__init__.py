"""What can happen to rules of rule, and to what they send."""
