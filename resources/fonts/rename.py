#!/usr/bin/python3
"""Makes the shipped typeface from B612 (Debian fonts-b612): the same outlines under a family name of their own.

B612 Mono answers to the family name B612 as well, so that on a machine with that package installed Qt may take the
Mono cut for the regular one. Needs python3-fonttools and fonts-b612; the results are committed.
"""
import pathlib

from fontTools.ttLib import TTFont

source = pathlib.Path("/usr/share/fonts/opentype/b612")
here = pathlib.Path(__file__).parent
family = "Nordstjerna Text"
for style in ["Regular", "Bold"]:
    font = TTFont(source / f"B612-{style}.otf")
    names = {1: family, 2: style, 3: f"{family} {style}", 4: f"{family} {style}", 6: f"NordstjernaText-{style}", 16: family, 17: style}
    for record in list(font["name"].names):
        if record.nameID in names:
            record.string = names[record.nameID]
    if "CFF " in font:
        cff = font["CFF "].cff
        cff.fontNames = [f"NordstjernaText-{style}"]
        cff.topDictIndex[0].FamilyName = family
        cff.topDictIndex[0].FullName = f"{family} {style}"
    font.save(here / f"NordstjernaText-{style}.otf")
