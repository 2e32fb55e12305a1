"""Calls for help: what a member's agent gathered, what is said and proposed about it, and what it was in the end."""
