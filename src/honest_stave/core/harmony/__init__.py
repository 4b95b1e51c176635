"""What notes mean together: which are struck together, key and scale."""
