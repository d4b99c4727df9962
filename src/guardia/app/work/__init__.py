"""Work that takes long, and messages."""
