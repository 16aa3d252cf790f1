"""The run document: a header, and a module for what each kind of run adds."""
