#!/usr/bin/env python3
"""Makes objects.tsv from the open data of the npm package d3-celestial 0.7.35 (BSD licence beside this file).

    npm pack d3-celestial@0.7.35 && tar xzf d3-celestial-0.7.35.tgz
    ./convert.py package/data > objects.tsv

One object a line, tab-separated: names (the usual one first, aliases after it, '|' between), kind, right
ascension and declination (degrees, J2000), magnitude or nothing, size in arcminutes or nothing.
Stars to magnitude 6 that have a name, a Bayer letter or a Flamsteed number; all NGC and IC objects, with the
Messier and Caldwell numbers; Sharpless, Barnard, Collinder and Melotte objects; dark nebulae by Lynds, bright ones by
Lynds, van den Bergh, van den Bergh and Herbst, Cederblad, and of the southern Milky Way (RCW); remnants of supernovae,
planetary nebulae by Perek and Kohoutek.
"""
import json
import math
import sys

CALDWELL = """
188 40 4236 7023 IC342 6543 2403 559 Sh2-155 663 7635 6946 457 869 6826 7243 147 185 IC5146 7000 4449 7662 891
1275 2419 4244 6888 752 5005 7331 IC405 4631 6992 6960 4889 4559 6885 4565 2392 3626 Mel25 7006 7814 7479 5248
2261 6934 2775 2237 2244 IC1613 4697 3115 2506 7009 246 6822 2360 3242 4038 4039 247 7293 2362 253 5694 1097
6729 6302 300 2477 55 1851 3132 6124 6231 5128 6541 3201 5139 6352 6193 4945 5286 IC2391 6397 1261 5823 6087
2867 3532 3372 6752 4755 6025 2516 3766 4609 - IC2944 6744 IC2602 2070 362 4833 104 6101 4372 3195
""".split()

GREEK = dict(zip("αβγδεζηθικλμνξοπρστυφχψω", (
    "alpha beta gamma delta epsilon zeta eta theta iota kappa lambda mu nu xi omicron pi rho sigma tau "
    "upsilon phi chi psi omega").split()))

KINDS = {
    "g": "galaxy", "s": "spiral galaxy", "s0": "lenticular galaxy", "sd": "dwarf galaxy", "i": "irregular galaxy",
    "e": "elliptical galaxy", "oc": "open cluster", "gc": "globular cluster", "en": "emission nebula",
    "bn": "bright nebula", "sfr": "star-forming region", "rn": "reflection nebula", "pn": "planetary nebula",
    "snr": "supernova remnant", "dn": "dark nebula", "pos": "object",
}


CATALOGUES = ("NGC", "IC", "Sh2", "Sh", "B", "Cr", "Mel", "M", "LDN", "LBN", "VdB", "VdBH", "Ced", "RCW", "SNR", "PK")


def tidy(text):
    return str(text).replace("\u2009", " ").replace("\t", " ").strip()


def compact(name):
    return name.replace(" ", "").replace("-", "").lower()


def main(folder):
    def load(name):
        with open(f"{folder}/{name}", encoding="utf-8") as f:
            return json.load(f)

    lines = []
    names = load("starnames.json")
    for star in load("stars.6.json")["features"]:
        about = names.get(str(star["id"]))
        if not about:
            continue
        c = about.get("c", "")
        own = []
        if about.get("name"):
            own.append(tidy(about["name"]))
        bayer = about.get("bayer", "")
        if bayer:
            own.append(f"{bayer} {c}")
            letter = GREEK.get(bayer[0])
            if letter:
                own.append(f"{letter}{bayer[1:]} {c}")
        if about.get("flam"):
            own.append(f"{about['flam']} {c}")
        if not own:
            continue
        own.append(tidy(about.get("hip", "")))
        ra, dec = star["geometry"]["coordinates"]
        lines.append((float(star["properties"]["mag"]), own, "star", ra % 360.0, dec, ""))

    popular = load("dsonames.json")
    messier = {tidy(m["properties"]["desig"]): m for m in load("messier.json")["features"]}
    caldwell = {}
    for number, entry in enumerate(CALDWELL, 1):
        if entry != "-":
            caldwell[compact(entry if not entry[0].isdigit() else "NGC" + entry)] = f"C {number}"
    unused = set(caldwell)
    for thing in load("dsos.20.json")["features"]:
        p = thing["properties"]
        ident = tidy(thing["id"])
        desig = tidy(p["desig"])
        prefix = ident.split()[0]
        if prefix not in CATALOGUES and not desig.startswith("M "):
            continue
        ra, dec = thing["geometry"]["coordinates"]
        own = []
        if desig.startswith("M ") and desig[2:].isdigit():
            own.append(desig)
        key = compact(ident)
        for name in (ident, desig):
            if name and name not in own:
                own.append(name)
        if key in caldwell:
            own.append(caldwell[key])
            unused.discard(key)
        about = popular.get(ident)
        if about and about.get("name"):
            own.append(tidy(about["name"]))
        m = messier.get(ident)
        if m:
            if m["properties"].get("alt"):
                alt = tidy(m["properties"]["alt"])
                if alt not in own:
                    own.append(alt)
            mra, mdec = m["geometry"]["coordinates"]
            off = math.hypot(((ra - mra + 180) % 360 - 180) * math.cos(math.radians(dec)), dec - mdec)
            if off > 0.3:
                print(f"{own[0]}: the two tables differ by {off:.2f} degrees", file=sys.stderr)
        # The common name first only where the catalogues have none better: numbers are what is searched for.
        mag = str(p.get("mag", ""))
        try:
            magnitude = float(mag)
        except ValueError:
            magnitude = 99.0
        if magnitude > 30 or magnitude <= -2:
            magnitude = 99.0
        kind = {"PK": "planetary nebula", "SNR": "supernova remnant"}.get(prefix,
                                                                          KINDS.get(p.get("type"), "object"))
        if kind == "dark nebula":
            magnitude = 99.0  # the data have its opacity there
        size = "x".join(f"{float(part):.3g}" for part in tidy(p.get("dim", "")).split("x") if part.strip())
        if size in ("0", "0x0"):
            size = ""
        lines.append((magnitude, own, kind, ra % 360.0, dec, size))
    # What the data leave out.
    lines.append((0.5, ["C 41", "Mel 25", "Hyades"], "open cluster", 66.725, 15.867, "330"))
    lines.append((99.0, ["C 49", "NGC 2237", "Rosette Nebula"], "bright nebula", 98.079, 5.034, "80x60"))
    lines.append((8.4, ["M 40"], "double star", 185.552, 58.083, ""))
    if "sh2155" in unused:
        lines.append((99.0, ["C 9", "Sh2 155", "Cave Nebula"], "bright nebula", 344.2, 62.6, "50x30"))
    unused -= {"mel25", "ngc2237", "sh2155"}
    if unused:
        print("no place for Caldwell objects:", sorted(unused), file=sys.stderr)
    lines.sort(key=lambda e: (e[0], e[1][0]))
    for magnitude, own, kind, ra, dec, size in lines:
        mag = "" if magnitude == 99.0 else f"{magnitude:g}"
        print("|".join(own), kind, f"{ra:.5f}", f"{dec:.5f}", mag, size, sep="\t")


main(sys.argv[1])
