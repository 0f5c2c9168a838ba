"""The desktop around the window: accessibility, icons, motion, the running window."""
