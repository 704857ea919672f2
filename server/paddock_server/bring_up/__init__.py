"""Bringing hosts in: the sheets that follow each machine from its first command to its proof job."""
