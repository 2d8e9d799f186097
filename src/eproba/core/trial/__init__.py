"""The life of a trial, each rule once."""
