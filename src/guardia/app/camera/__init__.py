"""One camera of an open project: its state, what can be done with it, and how a change is undone."""
