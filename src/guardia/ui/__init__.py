"""Thin PyQt6 widgets over the view-models."""
