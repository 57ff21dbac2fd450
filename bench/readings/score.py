#!/usr/bin/python3
"""How often the notes of the misreadable phrases are found.

Usage: bench/readings/score.py CLI FOLDER [--half tuning|final] [--family WORD] [--list] [--write docs/accuracy.md]

FOLDER: from phrases.py. For each family: the median F-measure of the notes of the first reading (onset within 50 ms and
the right key, of slow pads within 15 % of the attack; C. Raffel et al., "mir_eval", ISMIR 2014, with the key in place of a frequency), and in how many phrases
the first reading, and one of the first three, is right: F ≥ 0.9; of phrases without keys, no more than one note. --write
puts the table between the marks of the page.
"""
import argparse
import concurrent.futures
import json
import pathlib
import statistics
import subprocess


def matched(true, found, tolerance=0.05):
    """Pairs of notes with one key whose onsets lie near: the largest matching, by augmenting paths."""
    near = [[j for j, f in enumerate(found) if f[2] == t[2] and abs(f[0] - t[0]) <= tolerance] for t in true]
    taken = {}

    def place(i, seen):
        for j in near[i]:
            if j in seen:
                continue
            seen.add(j)
            if j not in taken or place(taken[j], seen):
                taken[j] = i
                return True
        return False

    return sum(place(i, set()) for i in range(len(true)))


def f_measure(true, found, tolerance=0.05):
    if not true or not found:
        return float(len(true) == len(found))
    return 2.0 * matched(true, found, tolerance) / (len(true) + len(found))


# What is heard as a whole may lie a fixed distance from the key that was struck: of an inharmonic or ring-modulated
# sound any, of a bass with a sub or a fifth an octave. All notes of a phrase by the same distance.
SHIFTS = {"inharmonic": range(-36, 37), "ring": range(-36, 37), "layered": (-12, 0, 12)}


def read(cli, path):
    """The notes of each reading, the likeliest first."""
    done = subprocess.run([cli, "readings", str(path), "--json"], capture_output=True, text=True)
    if done.returncode:
        return []
    return [([(n["start"], n["end"], n["key"]) for n in r["notes"]], r["words"], r["probability"])
            for r in json.loads(done.stdout)["readings"]]


def judge(truth, found):
    """F-measure of one reading, and whether it is right."""
    if truth["kind"] == "none":
        return float(len(found) <= 1), len(found) <= 1
    tolerance = max(0.05, 0.15 * truth.get("attack", 0.0))
    f = max(f_measure([(a, b, k + shift) for a, b, k, _ in truth["notes"]], found, tolerance)
            for shift in SHIFTS.get(truth["family"], (0,)))
    return f, f >= 0.9


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("cli")
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--half", default="tuning")
    parser.add_argument("--family", default="")
    parser.add_argument("--list", action="store_true")
    parser.add_argument("--write", type=pathlib.Path)
    options = parser.parse_args()
    truths = [json.loads(path.read_text()) for path in sorted(options.folder.glob("*.json"))]
    truths = [t for t in truths if t["half"] == options.half and options.family in t["family"]]
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        found = list(pool.map(lambda t: read(options.cli, options.folder / f"{t['name']}.flac"), truths))
    families = {}
    for truth, readings in zip(truths, found):
        judged = [judge(truth, notes) for notes, _, _ in readings] or [(0.0, False)]
        place = next((i for i, (_, right) in enumerate(judged) if right), None)
        families.setdefault(truth["family"], []).append((judged[0][0], place))
        if options.list:
            print(f"{truth['name']:14} {truth['kind']:6} F {judged[0][0]:.2f} right {'-' if place is None else place + 1}  "
                  f"{len(truth['notes'])} notes: " + "; ".join(f"{w} {p:.2f} (F {j[0]:.2f})" for (_, w, p), j in zip(readings, judged)))
    table = "| family | F, median | right first | in three |\n|---|---|---|---|\n"
    every = [each for results in families.values() for each in results]
    for family, results in [*families.items(), ("all", every)]:
        first = sum(p == 0 for _, p in results)
        three = sum(p is not None and p < 3 for _, p in results)
        table += f"| {family} | {statistics.median(f for f, _ in results):.2f} | {first} of {len(results)} | {three} |\n"
    print(table, end="")
    if options.write:
        begin, end = "<!-- readings -->\n", "<!-- end of readings -->"
        before, rest = options.write.read_text().split(begin)
        options.write.write_text(before + begin + table + "\n" + end + rest.split(end)[1])


if __name__ == "__main__":
    main()
