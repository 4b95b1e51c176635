"""Honest Stave turns recorded lines into MIDI that is proven to be what was heard."""

__version__ = "0.37.0"
