"""The Climb station: the committed plan brought to tempo, rung by rung."""
