"""Keys of a crew that lie on no site: made, kept on paper, named in a charter, and used. No site is asked."""

from __future__ import annotations

import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated

import typer

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.recipe import read_recipe
from convoy_core.trust import bundle, charter
from convoy_core.trust.charter import CONTEXT, Charter, Duty, read_charter
from convoy_core.trust.paper import as_paper, from_paper
from convoy_core.trust.signed import Signed, parsed, read_signed
from convoy_core.trust.signing import key_fingerprint, new_key, public_half
from convoy_core.trust.trusted import RELEASE_CONTEXT
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.wording import counted

from ..key_files import public_key, read_key, write_key
from ..storage.files import write_at_once
from .options import FILES, JsonOption
from .screen import print_json, say

key_app = typer.Typer(help="Keys of a crew: make, keep, change, sign. No site is asked.", no_args_is_help=True)
commands = typer.Typer()
commands.add_typer(key_app, name="key", rich_help_panel=FILES)

NOBODY = "none"
"""Named instead of a key: nobody may."""

HOLDS_DAYS = 400
"""A charter that is renewed each year, with a month to spare."""

Keys = Annotated[list[str] | None, typer.Option(help="A key: its file, or 64 hexadecimal digits. May be repeated.")]


def _asked(name: str) -> str:
    if not sys.stdin.isatty():
        raise MalformedInput(f"{name} has a passphrase.", "Nobody is here to be asked for it.")
    return str(typer.prompt(f"Passphrase of {name}", hide_input=True))


@key_app.command()
def make(
    file: Annotated[Path, typer.Argument(help="Where the key is to lie: a stick that is kept in a drawer, say.")],
    without: Annotated[bool, typer.Option("--without-passphrase", help="Whoever has the file has the key.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Make a key."""
    secret = ""
    if not without:
        if not sys.stdin.isatty():
            raise MalformedInput(
                "A key is kept behind a passphrase, and nobody is here to be asked for one.",
                now="Say --without-passphrase to go without.",
            )
        secret = str(typer.prompt("Passphrase (none: just Enter)", "", hide_input=True, confirmation_prompt=True))
    private = new_key()
    write_key(file, private, secret)
    _show(private, as_json)
    if not as_json:
        say(f"The key is in {file}. “convoy key paper {file}” tells it for paper; without either it is lost.")


@key_app.command()
def show(file: Annotated[Path, typer.Argument(help="A key's file.")], as_json: JsonOption = False) -> None:
    """Tell the public half of a key: what others name, and compare."""
    _show(read_key(file, _asked), as_json)


def _show(private: bytes, as_json: bool) -> None:
    public = public_half(private)
    if as_json:
        print_json({"fingerprint": key_fingerprint(public), "public": public.hex()})
        return
    say(f"fingerprint {key_fingerprint(public)}")
    say(f"public      {public.hex()}")


@key_app.command()
def paper(file: Annotated[Path, typer.Argument(help="A key's file.")]) -> None:
    """Tell a key as it is written on paper. Whoever reads it has the key."""
    say(as_paper(read_key(file, _asked)))


@key_app.command()
def recover(
    file: Annotated[Path, typer.Argument(help="Where the key is to lie.")],
    without: Annotated[bool, typer.Option("--without-passphrase", help="Whoever has the file has the key.")] = False,
) -> None:
    """Make a key's file anew from what is on paper; it is read from the terminal, or from what is piped in."""
    here = sys.stdin.isatty()
    private = from_paper(str(typer.prompt("As it is on the paper")) if here else sys.stdin.read(1000))
    secret = str(typer.prompt("Passphrase (none: just Enter)", "", hide_input=True)) if here and not without else ""
    write_key(file, private, secret)
    _show(private, as_json=False)


@key_app.command("charter")
def next_charter(
    file: Annotated[Path, typer.Argument(help="The crew's charter, as its page gives it.")],
    out: Annotated[Path, typer.Option("--out", help="Where the next one is written.")],
    charter_keys: Annotated[list[str] | None, typer.Option("--charter", help="May sign charters.")] = None,
    release_keys: Annotated[list[str] | None, typer.Option("--release", help="May sign releases.")] = None,
    statement_keys: Annotated[list[str] | None, typer.Option("--statement", help="May sign what is newest.")] = None,
    agent_keys: Annotated[
        list[str] | None, typer.Option("--agent", help=f"May sign agents; “{NOBODY}”: nobody.")
    ] = None,
    need: Annotated[
        list[str] | None, typer.Option("--need", help="How many must sign, as release=2. May be repeated.")
    ] = None,
    days: Annotated[int, typer.Option("--days", help="How long it holds; 0: until the next one.", min=0)] = HOLDS_DAYS,
    sign_with: Annotated[list[Path] | None, typer.Option("--sign", help="A key's file that signs it.")] = None,
) -> None:
    """Make a crew's next charter: who may sign what from now on. Keys are named by file, or by 64 hexadecimal digits;
    what is not named stays. It has to be signed by the keys of the one before (where the site holds them, it signs when
    the charter is brought) and by its own.
    """
    before = read_charter(read_signed(_content(file)).document)
    expires = (datetime.now(UTC) + timedelta(days=days)).replace(microsecond=0) if days else None
    after = Charter(before.crew, before.version + 1, dict(before.duties), expires)
    named = {
        Duty.CHARTER: charter_keys, Duty.RELEASE: release_keys, Duty.STATEMENT: statement_keys, Duty.AGENT: agent_keys,
    }  # fmt: skip
    for duty, told in named.items():
        if told:
            keys = [] if told == [NOBODY] else [public_key(one, _asked) for one in told]
            after = after.with_duty(duty, keys, min(before.duties[duty].threshold, max(1, len(keys))))
    for each in need or ():
        duty, count = _needed(each)
        after = after.with_duty(duty, after.duties[duty].keys, count)
    # Read as whoever gets it reads it: what would be refused there is refused here.
    read_charter(after.as_bytes())
    signed = Signed(after.as_bytes())
    for place in sign_with or ():
        signed = signed.with_signature(CONTEXT, read_key(place, _asked))
    write_at_once(out, signed.as_bytes())
    say(_charter_in_words(after))
    say(f"Written: {out}, with {counted(len(signed.signatures), 'signature')}. Bring it on the crew's page.")


def _needed(told: str) -> tuple[Duty, int]:
    name, _, count = told.partition("=")
    try:
        return Duty(name), int(count)
    except ValueError as error:
        raise MalformedInput(f"“{told[:40]}” does not say how many must sign.", now="Write it as release=2.") from error


@key_app.command()
def sign(
    file: Annotated[Path, typer.Argument(help="What is to be signed, as a page gives it.")],
    key: Annotated[Path, typer.Option("--key", help="The key's file.")],
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
) -> None:
    """Sign releases that wait, or a charter. Tells what it is, asks, and writes the signature into the file."""
    data = _content(file)
    top = parsed(data, bundle.MOST_BYTES)
    is_bundle = isinstance(top, dict) and top.get("format") == bundle.FORMAT
    if is_bundle:
        ones = bundle.read_bundle(data)
        for one in ones:
            say(_release_in_words(one))
    else:
        charter_here = read_signed(data)
        say(_charter_in_words(read_charter(charter_here.document)))
    if not yes:
        if not sys.stdin.isatty():
            raise MalformedInput("Nobody is here to be asked.", now="Say --yes to sign. Nothing was signed.")
        typer.confirm("Sign this?", abort=True)
    private = read_key(key, _asked)
    if is_bundle:
        written = bundle.write_bundle(one.with_signature(RELEASE_CONTEXT, private) for one in ones)
    else:
        written = charter_here.with_signature(charter.CONTEXT, private).as_bytes()
    write_at_once(file, written)
    say(f"Signed with {key_fingerprint(public_half(private))}. Bring {file} back to the page.")


def _content(place: Path) -> bytes:
    with place.open("rb") as file:
        return file.read(bundle.MOST_BYTES + 1)


def _release_in_words(signed: Signed) -> str:
    """What somebody is about to sign: read from the document itself, not from what a site says of it."""
    try:
        recipe = read_recipe(signed.document)
    except ConvoyError as error:
        raise MalformedInput(
            "Something in this file is no release.", error.sentence(), "Sign nothing of it."
        ) from error
    lock = recipe.lock
    told = f"Release {recipe.number} of {recipe.pack_name}, {recipe.channel}: {counted(len(lock.builds), 'mod')}, "
    told += f"{counted(len(lock.files), 'file')}, fingerprint {lock.fingerprint()}, {sha256_hex(signed.document)[:16]}…"
    moved = [f"  {one.get('what', '')} {one.get('name', '')} {one.get('after') or one.get('before') or ''}".rstrip()
             for one in recipe.changes]  # fmt: skip
    return "\n".join([told, *moved[:200]])


def _charter_in_words(one: Charter) -> str:
    until = f"until {one.expires:%Y-%m-%d}" if one.expires else "until the next"
    lines = [f"Charter {one.version}, holds {until}, key {one.mark}"]
    for duty, held in one.duties.items():
        who = ", ".join(key_fingerprint(key) for key in held.keys) or "nobody"
        lines.append(f"  {duty:9} {held.threshold} of {len(held.keys)}: {who}")
    return "\n".join(lines)
