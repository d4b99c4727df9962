"""Open forms of events and boxes, read without the store."""
