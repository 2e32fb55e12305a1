"""Reaches sources over the network: an address that somebody typed must not open the rooms of the site itself.

Each connection is judged (`convoy_io.open_network`); allowed beside the open network is what the site's keeper named
(`CONVOY_PRIVATE_SOURCES`).
"""

import httpx
from django.conf import settings

from convoy_io.open_network import ClosedAddress, judged_client

TIMEOUT_SECONDS = 20
MOST_REDIRECTS = 5
SCHEMES = ("http", "https")
ALLOWING = "The site's keeper can allow that network."


def client() -> httpx.Client:
    """A client for sources. Its connections raise ClosedAddress for what is not of the open network."""
    return judged_client(
        settings.PRIVATE_SOURCES,
        ALLOWING,
        timeout=TIMEOUT_SECONDS,
        follow_redirects=True,
        max_redirects=MOST_REDIRECTS,
    )


def checked_address(address: str) -> str:
    """The address of a source without a slash at its end. Raises ClosedAddress for what is none of the web."""
    try:
        url = httpx.URL(address.strip())
    except httpx.InvalidURL as error:
        raise ClosedAddress(f"“{address[:80]}” is no address.", str(error)) from error
    if url.scheme not in SCHEMES or not url.host or url.userinfo or url.query or url.fragment:
        raise ClosedAddress(
            f"“{address[:80]}” cannot be a source's address.",
            "It must begin with http:// or https://, and have no sign-in, question mark or number sign.",
        )
    return str(url).rstrip("/").removesuffix("/catalogue.json")
