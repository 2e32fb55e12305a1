"""Puts the house in order: installs what is missing, starts what is needed, stops all of it. Standard library only."""
