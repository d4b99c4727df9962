"""The open site: all its cameras as one value, its stores, units, dates and hours, and what it gives out."""
