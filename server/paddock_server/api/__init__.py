"""What all parts of the HTTP API share: problems, paging, addresses."""
