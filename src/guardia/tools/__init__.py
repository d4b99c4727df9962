"""For the developers of this program: benchmark, pictures for the documentation, the builder of the demo."""
