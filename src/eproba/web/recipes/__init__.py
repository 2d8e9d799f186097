"""Recipes: the catalogue's and one's own."""
