"""Hits of drums: where something is struck, by which drums, how hard."""
