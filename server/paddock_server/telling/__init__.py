"""Telling people of findings: by mail, and to webhooks."""
