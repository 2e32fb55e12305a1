"""Emblems of packs as drawings on a grid of 24 by 24 points, one stroke width for all. The front end draws the same."""

EMBLEM_PATHS = {
    "anchor": "M12 7v14M6 13c0 5 3 8 6 8s6-3 6-8M8 10h8M12 3a2 2 0 1 1 0 4 2 2 0 0 1 0-4",
    "lantern": "M9 6h6l2 4v8H7v-8zM10 3h4v3h-4zM6 21h12M12 11v4",
    "heron": "M4 6l5 1c3 0 3 3 3 5 0 3 6 2 7 6M12 15v6M15 16v5M9 7L7 4",
    "weir": "M3 8c3-3 6 3 9 0s6 3 9 0M3 14h18M6 14v6M11 14v6M16 14v6",
    "kite": "M12 3l7 7-7 9-7-9zM12 3v16M5 10h14M12 19c2 1 2 2 4 2",
    "bell": "M6 17c2-2 2-4 2-7a4 4 0 0 1 8 0c0 3 0 5 2 7zM10 20h4M12 3v3",
    "wheel": "M12 4a8 8 0 1 1 0 16 8 8 0 0 1 0-16M12 2v20M2 12h20M5 5l14 14M19 5L5 19",
    "reed": "M12 22V9M12 9c-2-2-2-5 0-7 2 2 2 5 0 7M7 22c0-5-1-7-3-9M17 22c0-5 1-7 3-9",
}
