"""Shapes of games and their bases."""

from ninja import Schema

from convoy_core.words.profile import GameChannel


class LoaderVersionOut(Schema):
    version: str
    recommended: bool


class LoaderOut(Schema):
    id: str
    name: str
    versions: list[LoaderVersionOut]


class GameVersionOut(Schema):
    """`loaders` lists only what runs on this game version, newest first."""

    version: str
    label: str
    channel: GameChannel
    runtime: str
    loaders: list[LoaderOut]


class GameOut(Schema):
    id: str
    name: str
    summary: str
    versions: list[GameVersionOut]
