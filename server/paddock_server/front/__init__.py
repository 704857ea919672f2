"""What stands in front of Django: how long and how large a request may be, how many connections there may be, and what
every answer says to browsers. No log-in is needed to get here, so everything is bounded."""
