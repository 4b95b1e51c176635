"""Tables and files. Knows nothing of signals, notes or the web."""
