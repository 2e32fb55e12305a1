"""Whether a bench elsewhere is there for a game."""

from datetime import timedelta

from django.utils import timezone

from .models import Bench

SEEN = timedelta(minutes=5)
"""After this silence nothing is kept waiting for a bench."""


def has_remote(game_id: str) -> bool:
    return Bench.objects.filter(games__contains=[game_id], seen_at__gt=timezone.now() - SEEN).exists()
