"""Rollouts: new versions of the agent on the hosts, in waves, each host proving itself or going back."""
