"""What the commands do, without a command line: a run from target to document, and judgements from documents."""
