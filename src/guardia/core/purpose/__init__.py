"""What a camera is for: what must be recorded and alerted, and what that may cost."""
