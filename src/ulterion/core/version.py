"""The version of the program, in the one place that everything else asks."""

__version__ = "1.0.0"
