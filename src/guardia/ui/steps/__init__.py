"""One page or dialog of a step per file."""
