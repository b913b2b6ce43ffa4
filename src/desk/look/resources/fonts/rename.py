#!/usr/bin/python3
"""Gives the desk's copies of B612 (OFL) family names of their own.

The mono faces of B612 also answer to the family name of the proportional ones, so that on a machine with both
installed a request for the one may give the other. Run with the folder of the originals (Debian: fonts-b612);
needs python3-fonttools.
"""
import os
import sys

from fontTools.ttLib import TTFont

source = sys.argv[1] if len(sys.argv) > 1 else "/usr/share/fonts/opentype/b612"
for face, family, style in (("B612-Regular", "Desk Sans", "Regular"), ("B612-Bold", "Desk Sans", "Bold"),
                            ("B612Mono-Regular", "Desk Mono", "Regular"), ("B612Mono-Bold", "Desk Mono", "Bold")):
    font = TTFont(os.path.join(source, face + ".otf"))
    names = font["name"]
    for record in list(names.names):
        if record.nameID in (16, 17, 21, 22):
            names.removeNames(record.nameID, record.platformID, record.platEncID, record.langID)
    full = f"{family} {style}"
    for name_id, text in ((1, family), (2, style), (3, full), (4, full), (6, full.replace(" ", ""))):
        for record in [r for r in names.names if r.nameID == name_id]:
            names.setName(text, name_id, record.platformID, record.platEncID, record.langID)
    if "CFF " in font:
        cff = font["CFF "].cff
        cff.fontNames = [full.replace(" ", "")]
        cff.topDictIndex[0].FamilyName, cff.topDictIndex[0].FullName = family, full
    font.save(os.path.join(os.path.dirname(os.path.abspath(__file__)), full.replace(" ", "") + ".otf"))
