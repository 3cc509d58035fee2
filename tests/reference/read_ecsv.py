#!/usr/bin/python3
"""Opens a run table with astropy and prints what it found, for the tests."""
import json
import sys

from astropy.table import Table

table = Table.read(sys.argv[1], format="ascii.ecsv")
print(json.dumps(dict(rows=len(table), columns=table.colnames, unit_t=str(table["t"].unit), unit_dra=str(table["dra"].unit),
                      kind=table.meta["kind"], first=float(table["dra"][0]), event=str(table["event"][0]))))
