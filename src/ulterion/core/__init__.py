"""The computation: plain values in, plain values out.

Nothing in this package reads a file or a clock, prints, parses a command line, or imports from outside itself
(NumPy and SciPy excepted).  Inside the program every quantity is in base units; see `ulterion.core.units`.
"""
