"""The same work without a window: results are plain JSON values."""
