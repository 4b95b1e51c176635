"""MIDI, audio, tables and label text: bytes to values and back, checks at the edge."""
