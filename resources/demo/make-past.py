#!/usr/bin/python3
"""Makes the invented nights before the demo's: run tables by the simulator, and their records.

Run: resources/demo/make-past.py NORDSTJERNA-TOOL
"""
import json
import pathlib
import shutil
import subprocess
import sys
import tempfile

here = pathlib.Path(__file__).resolve().parent
tool = str(pathlib.Path(sys.argv[1]).resolve())
rig = json.loads((here / "skerry-610.json").read_text())
night = json.loads((here / "night.json").read_text())
out = here / "past"
shutil.rmtree(out, ignore_errors=True)
(out / "runs").mkdir(parents=True)

# Evening, seeing, what the mount was like, and what was written down.
nights = [
    ("2026-09-11", 1.9, 3.4, "proportional", ""),
    ("2026-09-14", 2.6, 3.4, "proportional", "Wind from the north-west, gusty before midnight."),
    ("2026-09-19", 1.6, 3.5, "proportional", ""),
    ("2026-09-28", 2.1, 3.3, "model", "First night with the model controller."),
    ("2026-10-04", 1.8, 5.1, "model", "Dec worm cleaned and mounted again."),
    ("2026-10-07", 1.5, 5.2, "model", ""),
    ("2026-10-09", 2.3, 5.2, "model", "Haze over the water."),
]


def simulate(scenario, kind, minutes, seed, name, *more):
    with tempfile.TemporaryDirectory() as folder:
        path = pathlib.Path(folder) / "night.json"
        path.write_text(json.dumps(scenario))
        shutil.copy(here / "skerry-610.json", folder)
        subprocess.run([tool, "simulate", str(path), "--minutes", str(minutes), "--kind", kind, "--seed", str(seed),
                        "--out", str(out / "runs" / name), *more], check=True, stdout=subprocess.DEVNULL)


for k, (day, seeing, play, controller, note) in enumerate(nights):
    for kind, start, minutes, more in [("free", "19:10:00", 15, []), ("backlash", "19:40:00", 10, []),
                                       ("guided", "20:00:00", 22, ["--controller", controller])]:
        scenario = json.loads(json.dumps(night))
        scenario["start_utc"] = f"{day}T{start}"
        scenario["axis"] = {"east_arcmin": 0.5 - 0.1 * k, "high_arcmin": -0.4 + 0.1 * k}
        scenario["mount"]["dec_backlash_arcsec"] = play
        scenario["air"]["seeing_arcsec"] = seeing
        simulate(scenario, kind, minutes, 100 * k + len(kind), f"{day}T{start.replace(':', '')}-{kind}.ecsv", *more)

# Frames of the target on some of these nights: when, how long, and jolts as seconds from the start.
series = [
    ("2026-09-14", "20:40:00", 70, []),
    ("2026-09-19", "20:40:00", 150, []),
    ("2026-09-28", "20:40:00", 120, [2400]),
    ("2026-10-04", "20:40:00", 200, [4200, 6300, 9100]),
    ("2026-10-07", "20:40:00", 110, []),
]
(out / "records").mkdir(exist_ok=True)
for k, (day, start, minutes, jolts) in enumerate(series):
    seeing, play, controller = next((n[1], n[2], n[3]) for n in nights if n[0] == day)
    scenario = json.loads(json.dumps(night))
    scenario["start_utc"] = f"{day}T{start}"
    scenario["axis"] = {"east_arcmin": 0.3, "high_arcmin": -0.2}
    scenario["mount"]["dec_backlash_arcsec"] = play
    scenario["air"]["seeing_arcsec"] = seeing
    scenario["faults"] = [{"kind": "bump", "at_s": at, "amount": 9.0, "amount2": 4.0} for at in jolts]
    name = f"{day}T{start.replace(':', '')}-series.ecsv"
    simulate(scenario, "series", minutes, 900 + k, name, "--controller", controller)
    first = next(line for line in (out / "runs" / name).read_text().splitlines() if line.startswith("1 ")).split()[1]
    record = {"format": "nordstjerna-entry 1", "id": "series" + day, "kind": "series", "night": f"{day}T12:00:00.000",
              "started": first, "file": "runs/" + name, "session": "", "figures": [], "findings": [], "changes": [],
              "target": night["target"]["name"], "rig_id": "name:" + rig["name"], "rig_name": rig["name"], "how": "", "note": ""}
    (out / "records" / f"series{day}.json").write_text(json.dumps(record))

# The records, from the tables; then what only a person knew.
subprocess.run([tool, "night", "rebuild", "--data", str(out)], check=True, stdout=subprocess.DEVNULL)
for record in (out / "records").glob("*.json"):
    entry = json.loads(record.read_text())
    day = entry["file"].split("/")[1][:10]
    note = next(n[4] for n in nights if n[0] == day)
    entry.update(rig_id="name:" + rig["name"], rig=rig, rig_name=rig["name"], target=night["target"]["name"],
                 how="the time set" if entry["kind"] == "series" else "stopped by you",
                 note=note if entry["kind"] == "guided" else "")
    # A name that does not change from one making to the next.
    entry["id"] = pathlib.Path(entry["file"]).stem.replace("-", "").replace("T", "T", 1)
    record.unlink()
    (out / "records" / f"{entry['id']}.json").write_text(json.dumps(entry, indent=1, ensure_ascii=False) + "\n")
for rest in out.glob("night-log.sqlite*"):
    rest.unlink()
