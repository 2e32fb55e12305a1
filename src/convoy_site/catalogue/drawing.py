"""What the catalogue knows of packs."""

from typing import Any, Protocol


class Drawing(Protocol):
    """Whatever draws on a shelf: a crew's pack, of a game. The catalogue knows packs by this alone."""

    crew: Any
    crew_id: Any
    game: Any
    game_id: Any
