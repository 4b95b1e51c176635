"""Frames, spectra, envelopes, peaks and conversions: what several engines share."""
