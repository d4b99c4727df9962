"""What a replay says: counts, flips, limits, statistics, likeness, reach."""
