"""The whole stack as `./run demo` starts it, once for all screen tests, and browsers for the people in them."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest

from house.commands import start_stack
from house.places import VAR
from house.services import Services

from .browser import Browser

LOGS = VAR / "logs-screens"


@pytest.fixture(scope="session")
def stack() -> Iterator[dict[str, str]]:
    """The environment of a running stack with fresh demo data."""
    with Services(LOGS) as services:
        yield start_stack(services, "screens", fresh=True, for_tests=True)


@pytest.fixture(scope="session")
def people(stack: dict[str, str]) -> Iterator[Callable[..., Browser]]:
    """A browser per person, kept from test to test."""
    open_browsers: dict[str, Browser] = {}

    def person(name: str, width: int = 1280, height: int = 800, dark: bool = False) -> Browser:
        if name not in open_browsers:
            open_browsers[name] = Browser(stack["CONVOY_ADDRESS"], width, height, dark)
        return open_browsers[name]

    yield person
    errors = {name: browser.script_errors() for name, browser in open_browsers.items()}
    for browser in open_browsers.values():
        browser.close()
    found = "\n".join(f"{name}: {one}" for name, told in errors.items() for one in told)
    assert not found, f"{found}\n\nThe site's own log ends:\n{(LOGS / 'site.log').read_text()[-4000:]}"
