"""The use cases: the only code that holds a transaction and calls the core."""
