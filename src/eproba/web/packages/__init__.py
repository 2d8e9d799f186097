"""Whole trials out of this garden and into another, as data packages."""
