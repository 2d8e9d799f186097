"""Eproba: a trial bench for a home garden."""

VERSION = "0.2.0"
