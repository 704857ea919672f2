"""Notifications of findings, by e-mail and webhook."""
