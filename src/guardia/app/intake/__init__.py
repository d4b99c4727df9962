"""Bringing in: what becomes of each file, and the measuring of clips."""
