"""What was recorded: clips, occurrences, judgements, events, watched time."""
