"""A folder for each subject: how it is run, judged, said, shown and asked for."""
