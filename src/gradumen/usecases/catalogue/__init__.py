"""Services, plans, offers and rate cards."""
