"""Secrets of pipelines: kept encrypted, given to an attempt only where its pipeline and its paddock may have them."""
