"""The version of the package, in the one place that states it."""

__version__ = "0.1.0"
