"""Starting a member's game and reading what it says: which program, how it is called, how it ended, what is kept."""
