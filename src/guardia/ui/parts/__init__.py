"""Small widgets and the theme."""
