"""A real OpenStack identity service on loopback, from the Python package index, in an environment of its own."""
