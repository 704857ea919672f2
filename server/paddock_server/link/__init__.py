"""The agents' WebSocket and the browser's live feed."""
