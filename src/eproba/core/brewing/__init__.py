"""Brewing: recipes, mixing, what is really added, batches, back-scheduling, advice at the pour."""
