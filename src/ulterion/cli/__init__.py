"""The command line: the parser, and where each command is found.  Nothing heavy is imported before a command runs."""
