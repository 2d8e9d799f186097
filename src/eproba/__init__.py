"""Eproba: a trial bench for a home garden."""
