"""This site's own bench: which games its keeper lets run here (CONVOY_BENCH, docs/operations.md)."""

from pathlib import Path

from django.conf import settings

from convoy_io.sandbox import BenchGame, NoBench, read_games, why_no_sandbox


def bench_game(game_id: str) -> BenchGame:
    """Raises NoBench."""
    found = _allowed().get(game_id)
    if found is None:
        raise NoBench(
            "This game is not tried on this site.",
            "Its keeper has not set up a bench for it.",
            "Try it on a machine of your own: convoy play.",
        )
    if why := why_no_sandbox():
        raise NoBench("Nothing is tried on this site.", why, "Tell its keeper.")
    return found


def has_bench(game_id: str) -> bool:
    try:
        return game_id in _allowed() and not why_no_sandbox()
    except NoBench:
        return False


def _allowed() -> dict[str, BenchGame]:
    place = Path(settings.BENCH or "/nowhere/at/all")
    return read_games(place) if place.is_file() else {}
