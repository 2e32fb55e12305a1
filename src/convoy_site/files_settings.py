"""Reads the setting that says where files are kept. Standard library only: the settings themselves ask it."""

from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

SIGNED_SECONDS = 900
"""How long a signed address of a file holds: long enough to begin, and a fetch that broke off asks for a new one."""


def read_files(address: str) -> dict[str, Any] | None:
    """`s3://KEY:SECRET@BUCKET/FOLDER?endpoint=https://…&region=…`, as Django's storages take it; None for the disk.

    Raises ValueError for anything else. Without KEY and SECRET they come from where the store's own tools have them.
    """
    if not address:
        return None
    told = urlsplit(address)
    if told.scheme != "s3" or not told.hostname:
        raise ValueError("CONVOY_FILES must begin with s3:// and name a bucket")
    asked = {name: values[0] for name, values in parse_qs(told.query).items()}
    options = {
        "bucket_name": told.hostname,
        "location": told.path.strip("/"),
        "endpoint_url": asked.get("endpoint"),
        "region_name": asked.get("region"),
        "access_key": unquote(told.username) if told.username else None,
        "secret_key": unquote(told.password) if told.password else None,
        "default_acl": None,
        "querystring_auth": True,
        "querystring_expire": SIGNED_SECONDS,
        # A name is its content: what is there already is the same.
        "file_overwrite": True,
        "signature_version": "s3v4",
    }
    given = {name: value for name, value in options.items() if value is not None}
    return {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": given}
