#!/usr/bin/env python3
"""Whether two builds of facet-cli compute the same: renders, measurements, moves and searches, byte for byte.

    same_results.py OLD NEW [--work DIR] [--only WORD] [--quick]

Every fixture patch plays three phrases, every demo cue is measured with its own notes and with those that are found, and
compared with two renders; next moves are looked for; twelve references (six demo cues, six renders of fixtures) are
searched for at fixed evaluations and seed. What a binary made is kept in DIR under the hash of the binary, so that one
recorded build can be held against many. Exit status 1 when anything differs. `--quick` leaves out moves and searches.
"""

import argparse
import hashlib
import json
import pathlib
import subprocess
import sys

ROOT = pathlib.Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo"
CUES = sorted(path.stem for path in DEMO.glob("*.flac"))
PATCHES = sorted((ROOT / "tests/fixtures/patches").glob("*.json"))
PHRASES = ["airlock", "comet-tail", "ring-nebula"]
SEARCHED = ["five-bit-beeper", "nine-voice-brass", "siren", "sliding-lead", "struck-reed", "tremolo-stab"]
MOVED = ["airlock", "beacon"]  # other lists depend a little on the moment at which a first one is told
ELAPSED = {"seconds"}  # the only figure of a report that says how long something took


def jobs(quick):
    """(name, arguments with {out} for the job's own folder and {all} for the folder of all jobs)"""
    for patch in PATCHES:
        for phrase in PHRASES:
            yield (f"render/{patch.stem}/{phrase}",
                   ["render", str(patch), "--notes", str(DEMO / f"{phrase}.mid"), "--out", "{out}/render.wav"])
    for cue in CUES:
        reference, notes = str(DEMO / f"{cue}.flac"), str(DEMO / f"{cue}.mid")
        yield f"measure/{cue}/given", ["analyze", reference, "--notes", notes, "--json"]
        yield f"measure/{cue}/found", ["analyze", reference, "--json"]
        for patch in PATCHES[:2]:
            name = f"render-cue/{cue}/{patch.stem}"
            yield name, ["render", str(patch), "--notes", notes, "--out", "{out}/render.wav"]
            yield (f"compare/{cue}/{patch.stem}",
                   ["compare", reference, "{all}/" + name + "/render.wav", "--notes", notes, "--json"])
    yield "parameters", ["params", "--json"]
    yield "stages", ["stages", str(PATCHES[0]), "--notes", str(DEMO / "airlock.mid")]
    if quick:
        return
    for cue in MOVED:
        yield (f"moves/{cue}", ["moves", str(DEMO / f"{cue}.flac"), "--patch", str(PATCHES[1]), "--notes",
                                str(DEMO / f"{cue}.mid"), "--take", "1", "--out", "{out}/taken.json"])
    search = ["--seconds", "0", "--seed", "7", "--without-bank", "--out", "{out}"]
    for cue in CUES:
        evaluations = "4000" if cue in ("airlock", "touchdown") else "1000"
        yield (f"search/{cue}", ["match", str(DEMO / f"{cue}.flac"), "--notes", str(DEMO / f"{cue}.mid"),
                                 "--evaluations", evaluations] + search)
    for name in SEARCHED:
        yield (f"search/{name}", ["match", "{all}/render/" + name + "/airlock/render.wav", "--notes",
                                  str(DEMO / "airlock.mid"), "--evaluations", "1000"] + search)


def run(binary, work, only, quick):
    """Runs what has not been run with this binary, and returns its folder."""
    folder = work / hashlib.sha256(binary.read_bytes()).hexdigest()[:16]
    for name, arguments in jobs(quick):
        needed_by_others = name.startswith("render")
        if only not in name and not needed_by_others:
            continue
        out = folder / name
        if (out / "stdout").exists():
            continue
        out.mkdir(parents=True, exist_ok=True)
        words = [word.replace("{out}", str(out)).replace("{all}", str(folder)) for word in arguments]
        done = subprocess.run([binary, *words], capture_output=True, stdin=subprocess.DEVNULL)
        text = done.stdout.decode().replace(str(folder), "")
        (out / "stdout").write_text(f"exit {done.returncode}\n{text}")
        if done.returncode:
            print(f"{binary}: {name} failed: {done.stderr.decode().strip()}", flush=True)
    return folder


def content(path):
    if path.name == "report.json":
        report = json.loads(path.read_text())
        return {key: value for key, value in report.items() if key not in ELAPSED}
    if path.name == "stdout":  # a search says how long it took
        return [line for line in path.read_text().splitlines() if " s, " not in line and " s)" not in line]
    return path.read_bytes()


def main():
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("old", type=pathlib.Path)
    options.add_argument("new", type=pathlib.Path)
    options.add_argument("--work", type=pathlib.Path, default=pathlib.Path("/tmp/facet-same-results"))
    options.add_argument("--only", default="")
    options.add_argument("--quick", action="store_true")
    given = options.parse_args()
    old, new = (run(path.resolve(), given.work, given.only, given.quick) for path in (given.old, given.new))
    names = [name for name, _ in jobs(given.quick) if given.only in name]
    different = compared = 0
    for name in names:
        files = {path.name for folder in (old, new) for path in (folder / name).iterdir() if path.is_file()}
        for file in sorted(files):
            compared += 1
            pair = [folder / name / file for folder in (old, new)]
            if not all(path.exists() for path in pair) or content(pair[0]) != content(pair[1]):
                different += 1
                print(f"differs: {name}/{file}")
    print(f"{len(names)} jobs, {compared} files compared, {different} differ")
    return 1 if different or not compared else 0


if __name__ == "__main__":
    sys.exit(main())
