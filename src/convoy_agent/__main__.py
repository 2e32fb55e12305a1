"""`python -m convoy_agent`, and the command `convoy`."""

from .commands.app import main

if __name__ == "__main__":
    main()
