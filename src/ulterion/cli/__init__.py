"""The command line: one module for each command, thin.  Nothing heavy is imported before a command runs."""
