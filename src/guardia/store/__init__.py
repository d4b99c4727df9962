"""The project: one SQLite file beside a media folder."""
