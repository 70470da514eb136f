"""Reads PO files with two readers that we did not write, and writes them again.

Usage: po.py FIRST SECOND FILE... writes each file into the folders FIRST (Babel) and SECOND (polib).
"""

import sys
from pathlib import Path

import polib
from babel.messages.pofile import read_po, write_po

first, second = (Path(folder) for folder in sys.argv[1:3])
first.mkdir()
second.mkdir()
messages = 0
for name in sys.argv[3:]:
    path = Path(name)
    with path.open("rb") as file:
        catalog = read_po(file, abort_invalid=True)
    for message in catalog:
        if message.id and message.pluralizable:
            assert len(message.string) == catalog.num_plurals, (name, message.string, catalog.num_plurals)
        messages += bool(message.id)
    with (first / path.name).open("wb") as file:
        write_po(file, catalog, width=0)
    polib.pofile(name, wrapwidth=0).save(str(second / path.name))
print(messages)
