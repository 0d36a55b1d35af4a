"""The demo scenario, made through the client."""
