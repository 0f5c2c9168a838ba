"""Sound: made by the app itself, mixed to samples, and given to whatever device there is."""
