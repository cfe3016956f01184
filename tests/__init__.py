"""Tests; `python -m tests [name ...]` runs all or some of them."""
