"""Records that are read from documents and written to them: checked by the types of their fields, with every fault named."""
