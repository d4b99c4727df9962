"""What a make can be told, and settings in its words: capabilities, zones, levers."""
