"""Log-in through an OpenID Connect provider: authorization code with PKCE."""
