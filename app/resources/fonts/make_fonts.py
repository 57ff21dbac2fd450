#!/usr/bin/python3
"""Cuts the interface font out of Debian's fonts-inter: Latin and the signs Facet uses, with tabular figures as the
default ones. Usage: make_fonts.py (needs fonts-inter and python3-fonttools); leaves Facet*.otf beside itself."""
import pathlib

from fontTools import subset
from fontTools.ttLib import TTFont

SOURCE = pathlib.Path("/usr/share/fonts/opentype/inter")
HERE = pathlib.Path(__file__).resolve().parent
SIGNS = "−–—…“”‘’×±°·→←↑↓♯♭▶■●○½¼⅛√≤≥≈µ"

for weight in ("Regular", "Medium", "SemiBold"):
    font = TTFont(SOURCE / f"Inter-{weight}.otf")
    tabular = {}
    for record in font["GSUB"].table.FeatureList.FeatureRecord:
        if record.FeatureTag == "tnum":
            for index in record.Feature.LookupListIndex:
                for table in font["GSUB"].table.LookupList.Lookup[index].SubTable:
                    tabular.update(getattr(getattr(table, "ExtSubTable", table), "mapping", {}))
    for table in font["cmap"].tables:
        for code, glyph in list(table.cmap.items()):
            if glyph in tabular and (chr(code).isdigit() or chr(code) in "+-−.,:"):
                table.cmap[code] = tabular[glyph]
    options = subset.Options(layout_features=["kern", "ccmp", "mark"], name_IDs=[0, 1, 2, 4, 6, 13, 14, 16, 17], notdef_outline=True)
    cutter = subset.Subsetter(options)
    cutter.populate(unicodes=list(range(0x20, 0x17F)) + [ord(sign) for sign in SIGNS])
    cutter.subset(font)
    for record in font["name"].names:
        if record.nameID in (1, 16):
            record.string = "Facet Interface"
        elif record.nameID == 4:
            record.string = f"Facet Interface {weight}"
        elif record.nameID == 6:
            record.string = f"FacetInterface-{weight}"
        elif record.nameID in (2, 17):
            record.string = weight
    font.save(HERE / f"FacetInterface-{weight}.otf")
