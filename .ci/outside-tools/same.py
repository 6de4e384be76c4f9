"""Fails when several readers saw different things."""
import json
import sys

first, *others = [json.load(open(path)) for path in sys.argv[1:]]
for path, other in zip(sys.argv[2:], others):
    if first["names"] != other["names"]:
        sys.exit(f"{path}: other names: {first['names']} and {other['names']}")
    apart = max(
        abs(a - b)
        for one, two in zip(first["bounds"], other["bounds"])
        for a, b in zip(one, two)
    )
    if apart > 1e-4:
        sys.exit(f"{path}: other bounds: {first['bounds']} and {other['bounds']}")
print(sum(first["names"].values()), "things of", len(first["names"]), "names are seen alike")
