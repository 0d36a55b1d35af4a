"""Request and response bodies, shared by api and client."""
