"""The command line, through the client only."""
