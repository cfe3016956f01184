"""Drawings: geometry to scale here, ink in one template and the stylesheet."""
