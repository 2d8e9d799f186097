"""The brew shelf."""
