"""What stands in front of Django: how long and how large a request may be, how many connections there may be, and what
every answer says to browsers. Nobody has to log in to get here, so everything here is bounded."""
