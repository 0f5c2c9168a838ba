"""Widgets of our own that know neither sessions nor plans, and what they have in common."""
