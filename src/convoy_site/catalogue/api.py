"""Games and their bases, the finder, and one mod in the inspector."""

from django.http import HttpRequest
from ninja import Router

from .models import Game
from .shapes import GameOut, GameVersionOut, LoaderOut, LoaderVersionOut

router = Router(tags=["catalogue"])


@router.get("/games", response=list[GameOut], operation_id="games")
def games(request: HttpRequest) -> list[GameOut]:
    return [_game_out(game) for game in Game.objects.order_by("name")]


def _game_out(game: Game) -> GameOut:
    profile = game.profile
    versions = [
        GameVersionOut(
            version=str(one.version),
            label=one.label,
            channel=one.channel,
            runtime=one.runtime,
            loaders=[
                LoaderOut(
                    id=loader.id,
                    name=loader.name,
                    versions=[
                        LoaderVersionOut(version=str(each.version), recommended=each.recommended)
                        for each in loader.versions_for(one.version)
                    ],
                )
                for loader in profile.loaders
                if loader.versions_for(one.version)
            ],
        )
        for one in profile.versions
    ]
    return GameOut(id=game.id, name=profile.name, summary=profile.summary, versions=versions)
