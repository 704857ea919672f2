"""What the page This server shows: the server's health, growth, backups and retention."""
