"""Hours: plans for a week, the sun and the clock of the site, and what a make makes of them."""
