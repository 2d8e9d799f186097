"""Weather on record."""
