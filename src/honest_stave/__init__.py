"""Honest Stave turns recorded lines into MIDI that is proven to be what was heard."""

__version__ = "0.38.0"
