"""Mail: made of what a message says, and handed to a server."""
