"""The steps of a new trial, one module each: its form, what it reads, its page, its advice."""
