"""A folder for each subject: its options, how it runs, its verdicts, words and tables."""
