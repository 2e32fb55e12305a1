"""Reads a QR code back from the picture that the site makes of it, with a reader that is not ours."""

import re

import zxingcpp
from PIL import Image


def read_back(svg: bytes) -> str:
    """The picture's path is a row of strokes, each a point high; it is painted point by point."""
    path = re.search(rb'class="qrline".* d="(M[^"]+)"', svg)
    assert path, svg[:300]
    image, x, y = Image.new("L", (60, 60), 255), 0.0, 0.0
    for move, one, other, stroke in re.findall(r"([Mm])([\d.-]+) ?([\d.-]+)|h(\d+)", path[1].decode()):
        if stroke:
            image.paste(0, (round(x), int(y), round(x) + int(stroke), int(y) + 1))
            x += int(stroke)
        else:
            x, y = (float(one), float(other)) if move == "M" else (x + float(one), y + float(other))
    (found,) = zxingcpp.read_barcodes(image.resize((480, 480), Image.Resampling.NEAREST))
    return str(found.text)
