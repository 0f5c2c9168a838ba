"""What is written in the window: sentences, numbers, units, explanations."""
