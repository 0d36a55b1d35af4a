"""One function is one transaction: authorisation and decisions."""
