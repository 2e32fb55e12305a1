"""A release's list of downloads, in the hands of a program that is not ours."""

import subprocess
from pathlib import Path

from convoy_core.handing_out.downloads import metalink
from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.recipe import read_recipe
from convoy_core.words.model import Pickup

from .harbour import Harbour


def test_another_program_fetches_what_may_be_fetched_and_takes_no_other_file(harbour: Harbour, tmp_path: Path) -> None:
    mods = {"ledger": {"a.txt": "1"}, "bells": {"b.txt": "2"}, "scales": {"c.txt": "3"}}
    harbour.publish("2.0.0", mods, pickups={"bells": Pickup.BY_HAND})
    recipe = read_recipe(harbour.documents["2.0.0"])
    sources = {"harbour": f"{harbour.address}/harbour"}
    harbour.archive("scales").write_bytes(b"something else")
    place = tmp_path / "pack.meta4"
    place.write_bytes(metalink(recipe, recipe.lock.builds, sources))
    fetch = ["aria2c", "--no-conf", "--max-tries=1", "--console-log-level=error", "-d", str(tmp_path), "-M", str(place)]
    done = subprocess.run(fetch, capture_output=True, timeout=60)
    ledger = recipe.lock.by_mod["ledger"].archive
    assert sha256_hex((tmp_path / "ledger" / ledger.name).read_bytes()) == ledger.sha256
    assert not list(tmp_path.glob("bells/*")) and done.returncode != 0
