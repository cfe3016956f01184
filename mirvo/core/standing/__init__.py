"""The tree as it stands on a day, and what is to be done with it: one state, one verdict."""
