"""What leaves the program: settings sheets and tables."""
