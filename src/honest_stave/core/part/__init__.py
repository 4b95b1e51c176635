"""Parts: notes and their edits, the list of events that is heard, written and proven."""
