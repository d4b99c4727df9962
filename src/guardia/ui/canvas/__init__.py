"""Widgets that draw: zones over a picture, the player, the ribbon of a day."""
