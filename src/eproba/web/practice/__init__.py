"""The practice garden: made-up trials whose truth is known; none of it touches real ones."""
