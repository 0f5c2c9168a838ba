"""Deft Reach: plan whether a sticking can be played, on this kit, by this player, at that tempo."""

__version__ = "0.1.0"
