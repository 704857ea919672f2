"""What is installed on the hosts."""
