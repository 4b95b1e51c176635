"""The built-in instruments: their samples, which the browser plays too, and an offline renderer."""
