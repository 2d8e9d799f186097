"""The mixing desk."""
