"""Made-up resolver problems, seeded: catalogues in layers with ranges that nearly fit, and chains made to mislead."""

from __future__ import annotations

import random
from typing import Any

BASE = {"game": "2.1.0", "loader": "bosun", "loader_version": "5.2.0"}
Files = list[dict[str, Any]]
Number = tuple[int, int, int]


def large(mods: int, builds: int, wanted: int, seed: int, plain: bool = False) -> dict[str, Any]:
    """A problem over a whole catalogue: a twentieth are libraries, needed in ranges that drift apart with age.

    `plain` leaves out what not every resolver knows: breaks and stand-ins.
    """
    chance = random.Random(seed)
    libraries = max(20, mods // 20)
    names = [f"lib-{n}" for n in range(libraries)] + [f"mod-{n}" for n in range(mods - libraries)]
    versions = {
        name: _versions(chance, max(1, round(chance.gauss(builds / mods, builds / mods / 3)))) for name in names
    }
    files: Files = []
    for place, name in enumerate(names):
        below = names[: min(place, libraries)]
        for at, number in enumerate(versions[name]):
            age = at / len(versions[name])
            one = {
                "mod": name,
                "version": _text(number),
                "games": chance.choice([">=1.8", ">=2.0", ">=2.0, <2.2", "*"]),
            }
            targets = chance.sample(below, min(len(below), chance.choice([0, 1, 1, 2, 3])))
            one["needs"] = {target: _range(chance, versions[target], age) for target in targets}
            if chance.random() < 0.4:
                one["loaders"] = {"bosun": ">=4"} if chance.random() < 0.9 else {"capstan": "*"}
            if chance.random() < 0.08:
                one["channel"] = "beta"
            if not plain and chance.random() < 0.02:
                one["breaks"] = {chance.choice(names): f"<{chance.randrange(1, 4)}"}
            if not plain and chance.random() < 0.01:
                one["provides"] = {names[chance.randrange(libraries)]: f"{chance.randrange(1, 5)}.0"}
            files.append(one)
    return {"base": BASE, "files": files, "want": dict.fromkeys(sorted(chance.sample(names, wanted)), "*")}


def _versions(chance: random.Random, count: int) -> list[Number]:
    found: list[Number] = []
    number = (1, 0, 0)
    for _ in range(count):
        step = chance.random()
        if step < 0.15:
            number = (number[0] + 1, 0, 0)
        elif step < 0.6:
            number = (number[0], number[1] + 1, 0)
        else:
            number = (number[0], number[1], number[2] + 1)
        found.append(number)
    return found


def _range(chance: random.Random, target: list[Number], age: float) -> str:
    """What a build of this age asks of a target: at least something of its own time, sometimes nothing newer."""
    from_time = target[min(len(target) - 1, int(age * len(target) * chance.uniform(0.5, 1)))]
    kind = chance.random()
    if kind < 0.5:
        return f">={from_time[0]}.{from_time[1]}"
    if kind < 0.75:
        return f">={from_time[0]}.{from_time[1]}, <{from_time[0] + chance.choice([1, 2])}"
    return f"<{from_time[0] + 1}" if kind < 0.8 else "*"


def _text(number: Number) -> str:
    return ".".join(map(str, number))


def staircase(length: int, versions: int = 8) -> dict[str, Any]:
    """Each mod needs the next one at its own version or newer; the last has the oldest only: all must go down."""
    files: Files = []
    for at in range(length):
        for version in range(1, versions + 1 if at < length - 1 else 2):
            needs = {f"m{at + 1}": f"<={version}" if at % 2 else f"={version}"} if at < length - 1 else {}
            files.append({"mod": f"m{at}", "version": str(version), "needs": needs})
    return {"base": BASE, "files": files, "want": {f"m{at}": "*" for at in range(0, length, 3)}}


def ring(length: int, versions: int = 6, closed: bool = False) -> dict[str, Any]:
    """Neighbours in a ring break each other at the same version; an odd ring of two newest versions does not close."""
    files: Files = []
    for at in range(length):
        for version in range(1, versions + 1):
            breaks = {f"m{(at + 1) % length}": f"={version}" if version > 2 else ("*" if closed else "<=2")}
            needs = {f"lib{(at + step) % (length // 2)}": f"<={version + 1}" for step in (0, 7)}
            files.append({"mod": f"m{at}", "version": str(version), "breaks": breaks, "needs": needs})
    for at in range(length // 2):
        files += [{"mod": f"lib{at}", "version": str(v), "needs": {"root": f"<={v}"}} for v in range(1, versions + 1)]
    files += [{"mod": "root", "version": str(v)} for v in range(1, 5)]
    return {"base": BASE, "files": files, "want": {f"m{at}": ">=4" if closed else "*" for at in range(length)}}


def tug(length: int, versions: int = 8) -> dict[str, Any]:
    """Two chains that pull at shared libraries from both ends, so that newest on one side is oldest on the other."""
    files: Files = []
    for at in range(length // 2):
        for version in range(1, versions + 1):
            shared = f"s{at // 3}"
            files.append(
                {
                    "mod": f"a{at}",
                    "version": str(version),
                    "needs": {shared: f">={version}", f"a{at + 1}": f">={version - 1}"},
                }
            )
            files.append(
                {
                    "mod": f"b{at}",
                    "version": str(version),
                    "needs": {shared: f"<={versions + 1 - version}", f"b{at + 1}": f"<={version + 1}"},
                }
            )
    for side in "ab":
        files += [{"mod": f"{side}{length // 2}", "version": str(v)} for v in range(1, versions + 1)]
    for at in range(length // 2 // 3 + 1):
        files += [{"mod": f"s{at}", "version": str(v)} for v in range(1, versions + 1)]
    return {"base": BASE, "files": files, "want": {"a0": "*", "b0": "*"}}


def misleading(seed: int) -> dict[str, Any]:
    """A chain of 30 to 60 mods in one of six manners, with breaks across it: what looks good is wrong far down."""
    chance = random.Random(seed)
    length, versions, manner = chance.randrange(30, 61), chance.randrange(3, 9), chance.randrange(6)
    shared, oldest = length // 4, versions + 1
    files: Files = []
    for at in range(length):
        for version in range(1, versions + 1):
            asked = _misled(chance, manner, version, oldest, at)
            needs = {f"m{at + 1}": asked} if at < length - 1 else {}
            if manner == 4 and needs:
                needs[f"s{chance.randrange(shared)}"] = chance.choice(["<=", ">=", "="]) + str(version)
            if manner == 5 and at + 2 < length:
                needs[f"m{at + 2}"] = f"<={version + 1}"
            breaks = {}
            if at > 3 and chance.random() < 0.25:
                breaks[f"m{chance.randrange(at)}"] = chance.choice(["=", ">", "<"]) + str(version)
            files.append({"mod": f"m{at}", "version": str(version), "needs": needs, "breaks": breaks})
    for at in range(shared):
        leads_on = at + 1 < shared and chance.random() < 0.5
        for version in range(1, versions + 1):
            needs = {f"s{at + 1}": f"<={version}"} if leads_on else {}
            files.append({"mod": f"s{at}", "version": str(version), "needs": needs})
    step = chance.choice([1, 2, 3, 7, 60])
    return {"base": BASE, "files": files, "want": {f"m{at}": "*" for at in range(0, length, step)}}


def _misled(chance: random.Random, manner: int, version: int, oldest: int, at: int) -> str:
    """What a build asks of the next in the chain."""
    manners = (
        f"{chance.choice(['<=', '='])}{version}",
        f">={max(1, version - 1)}, <={version + 1}",
        f"<={oldest - version}" if at % 2 else f">={version}",
        chance.choice([f"={version}", f"<={version}", f">={version}", "*"]),
        "*",
        f"!={oldest - version}",
    )
    return manners[manner]


DEEP = {
    "staircase of 60": lambda: staircase(60),
    "ring of 31 with libraries": lambda: ring(31),
    "ring of 41 that cannot close": lambda: ring(41, 5, closed=True),
    "two chains of 30 pulling apart": lambda: tug(60),
}
