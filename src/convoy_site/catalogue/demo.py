"""Games and sources of the demo, as rows. Their addresses follow the stand-ins, whose port may change."""

import tomllib

from django.conf import settings

from .models import Game, GameRevision, Source

DEMO = settings.ROOT / "demo"


def load_games_and_sources() -> list[Source]:
    for file in sorted((DEMO / "games").glob("*.toml")):
        text = file.read_text()
        told = tomllib.loads(text)
        game, is_new = Game.objects.get_or_create(pk=told["id"], defaults={"name": told["name"], "profile_text": text})
        if is_new:
            GameRevision.objects.create(game=game, number=1, why="brought", profile_text=text)
    sources = []
    for told in tomllib.loads((DEMO / "sources.toml").read_text())["sources"]:
        source, _ = Source.objects.update_or_create(
            pk=told["id"],
            defaults={
                "name": told["name"],
                "game_id": told["game"],
                "pickup": told["pickup"],
                "address": f"{settings.DEMO_SOURCES_ADDRESS}/{told['id']}",
            },
        )
        sources.append(source)
    return sources
