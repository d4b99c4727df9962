"""Video in and out, still pictures, trace building."""
