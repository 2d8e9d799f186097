"""Samples for a laboratory: taken, labelled, sent, read."""
