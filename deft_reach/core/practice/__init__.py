"""From a committed plan to one that is clean: stages, ladder, takes, what the log teaches."""
