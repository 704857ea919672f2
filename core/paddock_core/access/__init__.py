"""Who may do what: names that look alike, tokens' scopes, roles from groups, the end of a session."""
