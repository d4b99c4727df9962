"""The window around the steps."""
