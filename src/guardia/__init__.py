"""Guardia: a settings bench for installed surveillance cameras."""

__version__ = "0.1.0"
