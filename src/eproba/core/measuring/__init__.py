"""Measures, and the numbers typed for them."""
