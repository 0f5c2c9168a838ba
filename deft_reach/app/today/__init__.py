"""The Today station: what fills the minutes one has."""
