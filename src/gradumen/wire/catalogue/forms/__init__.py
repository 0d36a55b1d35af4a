"""What is written of services, plans, offers and rate cards: models of plain data, and the values that they are.

One definition for files, drafts, answers of the interface, the client, and the published JSON Schema
(`docs/formats.md`). Mistakes are `Invalid` with ``path`` in their facts.
"""
