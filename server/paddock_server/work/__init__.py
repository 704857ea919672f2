"""Jobs, attempts, dispatch and logs."""
