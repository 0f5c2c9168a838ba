"""Work beside the window: background tasks, late analysis, the pace of drags, faults."""
