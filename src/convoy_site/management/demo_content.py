"""What the demo's packs hold: names, machines, lists of mods, settings, steps, texts. How it comes into the site is
`commands.load_demo`'s part.
"""

from datetime import date, timedelta
from typing import Any

NAMES = {
    "maren": "Maren Holt",
    "tolliver": "Tolliver Reyes",
    "isbet": "Isbet Quill",
    "odwin": "Odwin Pell",
    "sunniva": "Sunniva Marsh",
    "corvin": "Corvin Ashby",
    "liesel": "Liesel Drake",
    "perrin": "Perrin Vale",
}
MACHINES = (
    ("marens-desk", "Maren's desk", "maren", 32),
    ("wharf-server", "The wharf's server", "maren", 16),
    ("tollivers-tower", "Tolliver's tower", "tolliver", 64),
    ("isbets-laptop", "Isbet's laptop", "isbet", 16),
    ("odwins-box", "Odwin's box", "odwin", 16),
    ("sunnivas-desk", "Sunniva's desk", "sunniva", 24),
    ("corvins-netbook", "Corvin's netbook", "corvin", 8),
    ("liesels-laptop", "Liesel's laptop", "liesel", 16),
    ("perrins-pc", "Perrin's PC", "perrin", 12),
)
"""Stand-in machines: their memory in GB. All have 200 GB of disk free and the runtimes of the last years."""

TWEAKS = [
    {"path": "mods/lock-ledger/settings.toml", "key": ["strength"], "value": 4, "how": "enforced"},
    {"path": "mods/night-lanterns/settings.toml", "key": ["strength"], "value": 8, "how": "starting value"},
]
LOW_LIGHTS = "low-lights"
OFFERED: list[dict[str, Any]] = [
    {"path": "mods/night-lanterns/settings.toml", "key": ["stern", "colour"], "value": "#8f2f28"},
    {"path": "mods/night-lanterns/settings.toml", "key": ["bow", "colour"], "value": "#c98a3c"},
]
"""A set that each member may choose."""

WRITTEN = """# How the picture is drawn. Written by Tillerway at its first start.

# Pictures a second at most. Range: 20 to 240. Default: 60
frames = 60
# Whether the whole screen is taken. Default: true
whole_screen = true

[water]
# How the water is drawn. One of: plain, rippled, mirror. Default: rippled
surface = "mirror"
# Reeds and lilies along the banks. Range: 0 to 100. Unit: percent. Default: 70
growth = 45
"""
"""What Maren's game wrote, and she tuned."""

STEPS = [
    {
        "id": "name-your-barge",
        "text": "Start Tillerway once, name your barge at the berths, and close it again. It then writes barge.toml.",
        "check": "exists",
        "path": "barge.toml",
    },
    {
        "id": "one-world",
        "text": "Switch off the game's own copying of worlds between machines: two copies of one world do not mix.",
    },
]
ON_TILLERWAY = ("tillerway", "2.1.0", "bosun", "5.2.0")
ON_GAUGE_HOLLOW = ("gauge-hollow", "3.1", "", "")
SLOW_SHELVES, SLOW_LINES, SLOW_SCENARIO = ("Boats", "Looks", "Towns"), 40, "towpath-trial"
SUITS_TILLERWAY = (">=2.0, <2.2", {"bosun": "*"})
CLEAR_DECK = (
    "quiet-deck", "big-dials", "clean-glass", "distance-posts", "plain-speech", "kettle-timer", "ear-trumpet",
    "gloved-hands",
)  # fmt: skip
CLEAR_DECK_BEFORE = {"quiet-deck": "0.6.0", "big-dials": "1.2.0"}
"""What its first release has; the next takes the newest."""

CLEAR_DECK_ADVICE = {
    "ear-trumpet": "For those who do not hear the bells.",
    "gloved-hands": "For one hand, or a cold one.",
}
CLEAR_DECK_TWEAKS: list[dict[str, Any]] = [
    {"path": "mods/quiet-deck/settings.toml", "key": ["strength"], "value": 3},
    {"path": "mods/big-dials/settings.toml", "key": ["strength"], "value": 7},
]
CLEAR_DECK_STEPS = [{"id": "dials", "text": "Look at your dials before you cast off: they sit where you put them."}]
STEADY_HANDS = ("long-tiller", "brass-fenders", "white-water-marks", "loading-plan", "mist-bells", "stoppages")
EVENINGS = ("rain-on-tin", "thunder-far-off", "owl-post", "chapel-bells", "moth-season", "star-map", "soft-cursor")
EVENING_LOUD = "chapel-bells"
EVENING_STEPS = [{"id": "sound", "text": "Turn the game's own weather down by half: there is rain enough."}]
LEAD_LINES = 24
"""Of what Slow Water has; the rest it found by itself."""

LEAD_NEW = ("milk-churns", "letters-aboard")
LEAD_GONE = "tug-service"
LEAD_HELD = ("swing-bridges", "2.0.0", "2.1.0 closes behind the first boat")
LEAD_ADVICE = ("cabin-stove", "Wants feeding. Leave it out if you come for the quiet.")
LEAD_TWEAK: dict[str, Any] = {"path": "mods/diesel-hum/settings.toml", "key": ["strength"], "value": 2}
OWN_ADVICE = "Warm, and worth its memory."
HOLLOW_LINES = (
    "slate-wagons", "banking-engine", "wet-valley", "coal-smoke", "incline-working", "water-cranes", "brake-vans",
    "single-line-staff", "waiting-rooms", "halt-lamps", "market-specials", "worn-liveries",
)  # fmt: skip
HOLLOW_TWEAKS = [
    {"path": "consists/incline-working/settings.xml", "key": ["strength"], "value": 3, "how": "enforced"},
    {"path": "consists/water-cranes/settings.ini", "key": ["mod", "strength"], "value": 8, "how": "starting value"},
]
HOLLOW_STEPS = [
    {
        "id": "lay-the-rails",
        "text": "Start Gauge Hollow once, choose “Survey”, and let it lay the rails anew. It then writes valley.ini.",
        "check": "exists",
        "path": "valley.ini",
    },
]
ON_OLD_TILLERWAY = ("tillerway", "2.0.1", "capstan", "0.14.0")
SPRING_BEFORE = ("sluice-books", "bronze-bell", "reed-pipes")
SPRING = (
    "night-lanterns", "tarred-planks", "fair-tolls", "night-tolls", "old-salts-kit", "fen-charts", "guild-economy",
    "market-makers", "quay-guild-patch", "harbour-clerk", "rivet", "green-water",
)  # fmt: skip
SPRING_TWEAKS: list[dict[str, Any]] = [
    {"path": "mods/night-lanterns/settings.toml", "key": ["strength"], "value": "bright", "how": "enforced"},
    {"path": "mods/barge-berths/settings.toml", "key": ["berths"], "value": 12, "how": "starting value"},
    {"path": "config/tolls/rates.toml", "key": ["tolls", "night"], "value": 24, "how": "enforced"},
]
OWN_TEXTS = {
    "config/lamps/glow.toml": "# Ours: the stern lamp is the one that others follow.\n[lamps]\nbow = 5\nstern = 9\n",
    "config/wharf/rules.txt": "Be at the quay by eight.\nWhoever is last ties up.\n",
}
UNWANTED = [f"overlay/yard/wagon-{number:03}.part" for number in range(61, 401)]
"""The list that the crew was sent: three hundred and forty wagons that nobody wants to see."""

UNHEARD = timedelta(days=12)
FIRST_LINES = ("lock-ledger", "barge-berths", "night-lanterns", "heron-almanac", "fog-over-fen", "tarred-planks")
LATER = (
    ("1.2.0", "More to carry, and more to look at.", ("Cargo", "Looks")),
    ("1.3.0", "Boats of our own, and the night watch.", ("Boats", "Night")),
    ("1.4.0", "Towns, weather, and a helm one can read.", ("Towns", "Interface", "Weather", "Work")),
)
"""Releases of Night Freight after the second: number, notes, and the shelves from which they took everything."""

NOT_FOR_US = {"old-sluice", "sluice-books", "false-bottom", "second-keel", "towpath-trial", "fog-lantern-patch"}
"""What breaks or rebuilds something else, or belongs to another evening."""

BEFORE_THE_DEMO = date(2026, 7, 1)
"""The pack was put together from what there was by then; what came later shows as newer builds."""

OPTIONAL = {
    "green-water": "Costs memory. Leave it out on a small machine.",
    "old-brick": "The largest of the looks; the towns are worth it.",
    "castle-panels": "If you like your doors painted.",
    "rain-on-tin": "Sound only. Nice with headphones.",
}
TAGS = {"seasons-turn": ["world"], "autumn-spate": ["world"], "drought-order": ["world"], "big-dials": ["helm"]}
