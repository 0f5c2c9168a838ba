"""Searches and what they offer: the base of their forms, and the preview in place of the plan."""
