"""Simulated devices and weather: the same interface as the real ones."""
