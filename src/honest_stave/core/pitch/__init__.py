"""Pitch: tracking one voice, forming notes, measuring each of them."""
