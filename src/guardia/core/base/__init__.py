"""Plain helpers that every room of the core stands on: errors, words, intervals."""
