"""What is wrong with an agent or its host: evidence is collected on the host, and read by pure functions there and on
the server. Standard library only, so that it works where the agent's own packages do not.
"""
