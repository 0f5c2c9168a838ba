"""The Song station: plans one after the other, on whatever kit is there, at the end of a long set."""
