"""The site's own keys: shows them, or makes new ones after somebody may have had the old. Nobody pairs anew.

For every crew whose charter key lies on this site, `renew` makes the next charter, which names the new keys in the
place of the old ones and is signed by both. Crews that keep their charter key themselves are named: their owners bring
the next charter. The old files stay beside the new ones, under another name.
"""

from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction

from convoy_core.trust.charter import CONTEXT, Charter, Duty, Holders
from convoy_core.trust.signed import Signed
from convoy_core.trust.signing import key_fingerprint, public_half
from convoy_site.keeping.identity import note
from convoy_site.people.models import Crew
from convoy_site.releases import keys
from convoy_site.releases.changing_keys import adopt
from convoy_site.releases.charters import newest_charter


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("what", choices=("show", "renew"))

    def handle(self, *args: object, **options: Any) -> None:
        if options["what"] == "renew":
            self._renew()
        for place in (keys.key_file(), keys.statement_file()):
            told = key_fingerprint(public_half(place.read_bytes())) if place.exists() else "not on this site"
            self.stdout.write(f"{place.name:14} {told}")

    def _renew(self) -> None:
        crews = list(Crew.objects.all())
        before = {crew.pk: newest_charter(crew).charter for crew in crews}
        old = keys.own_keys()
        moment = datetime.now(UTC).strftime("%Y%m%d-%H%M%S")
        was = {place: place.read_bytes() for place in (keys.key_file(), keys.statement_file()) if place.exists()}
        for place in was:
            place.rename(place.with_name(f"{place.name}.{moment}"))
        keys.make_keys()
        note()
        new = {public_half(private): public_half(place.read_bytes()) for place, private in was.items()}
        for crew in crews:
            self._renew_crew(crew, before[crew.pk], old, new)

    @transaction.atomic
    def _renew_crew(self, crew: Crew, before: Charter, old: dict[bytes, bytes], new: dict[bytes, bytes]) -> None:
        duties = {
            duty: Holders(tuple(sorted(new.get(key, key) for key in held.keys)), held.threshold)
            for duty, held in before.duties.items()
        }
        if duties == before.duties:
            return
        after = replace(before, version=before.version + 1, duties=duties)
        signed = Signed(after.as_bytes())
        for private in (*old.values(), *keys.own_keys().values()):
            if public_half(private) in (*before.duties[Duty.CHARTER].keys, *duties[Duty.CHARTER].keys):
                signed = signed.with_signature(CONTEXT, private)
        held = before.duties[Duty.CHARTER]
        if sum(key in old for key in held.keys) < held.threshold:
            self.stdout.write(f"{crew.name}: its owner has to bring a charter that names the new keys.")
            return
        adopt(crew, after, signed)
        self.stdout.write(f"{crew.name}: charter {after.version}, key {after.mark}")
