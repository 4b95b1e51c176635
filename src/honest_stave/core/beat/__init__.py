"""Beats, meter, the tempo map: the only converter between seconds and beats."""
