"""The open project and its cameras as the window shows them, and the same without a window."""
