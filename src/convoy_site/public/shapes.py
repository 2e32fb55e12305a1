"""Shapes of a pack's public page, as its curators see to it."""

from typing import Annotated

from pydantic import Field

from ..shapes import Schema, Short, Text


class PublicPageOut(Schema):
    """`address`: the last part of it; `link`: the whole. `on`: whether anybody finds something there."""

    on: bool
    address: str
    link: str
    words: str
    code: str


class PublicPageIn(Schema):
    on: bool
    address: Annotated[str, Field(max_length=60)]
    words: Text = ""
    code: Short = ""
