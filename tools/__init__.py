"""Programs for those who build Mirvo."""
