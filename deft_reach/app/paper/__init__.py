"""What leaves the window: print, PDF, pictures, the clipboard."""
