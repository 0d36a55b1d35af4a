"""Users, members, sessions and tokens: who may do what."""
