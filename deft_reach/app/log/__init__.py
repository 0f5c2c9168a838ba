"""The Log station: is it clean, and what is next."""
