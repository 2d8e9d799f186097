"""Who may come in, and who types."""
