"""Readings as tables, their corrections, CSV out and in."""
