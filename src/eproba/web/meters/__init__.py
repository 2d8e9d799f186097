"""Meters that give values by themselves: known ones, their logs, what they say now."""
