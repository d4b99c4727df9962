"""Proving a camera: why something was not recorded, and which walks settle what is not known. Pure functions."""
