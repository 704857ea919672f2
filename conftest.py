"""What all tests share."""

from hypothesis import HealthCheck, settings

# How long an example takes says how busy the machine is, not whether it is right.
settings.register_profile("unhurried", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("unhurried")
