"""How fast it is: ``python -m benchmarks [--json]``."""
