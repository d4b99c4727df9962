"""The bench camera: a synthetic scene, and a camera that decides by code of its own and records real files."""

SITE_NAME = "Tern Quay"
"""The invented boatyard of the demo."""
