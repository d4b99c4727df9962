"""What the window does, without widgets: view-models, undo commands, tools and background jobs."""
