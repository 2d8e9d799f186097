"""The plain application log."""
