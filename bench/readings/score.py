#!/usr/bin/python3
"""How often the notes of the misreadable phrases are found.

Usage: bench/readings/score.py CLI FOLDER [--half tuning|final] [--family WORD] [--list]

FOLDER: from phrases.py. For each family: the median F-measure of the notes of the first reading (onset within 50 ms and
the right key; C. Raffel et al., "mir_eval", ISMIR 2014, with the key in place of a frequency), and in how many phrases
they are right: F ≥ 0.9; of phrases without keys, no more than one note.
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


def f_measure(true, found):
    if not true or not found:
        return float(len(true) == len(found))
    return 2.0 * matched(true, found) / (len(true) + len(found))


def read(cli, path):
    done = subprocess.run([cli, "analyze", str(path), "--json"], capture_output=True, text=True)
    if done.returncode:
        return None
    return [(n["start"], n["end"], n["key"]) for n in json.loads(done.stdout)["notes"]]


def judge(truth, found):
    """F-measure, and whether the reading is right."""
    if found is None:
        return 0.0, False
    if truth["kind"] == "none":
        return float(len(found) <= 1), len(found) <= 1
    f = f_measure(truth["notes"], found)
    return f, f >= 0.9


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("cli")
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--half", default="tuning")
    parser.add_argument("--family", default="")
    parser.add_argument("--list", action="store_true")
    options = parser.parse_args()
    truths = [json.loads(path.read_text()) for path in sorted(options.folder.glob("*.json"))]
    truths = [t for t in truths if t["half"] == options.half and options.family in t["family"]]
    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        found = list(pool.map(lambda t: read(options.cli, options.folder / f"{t['name']}.flac"), truths))
    families = {}
    for truth, notes in zip(truths, found):
        f, right = judge(truth, notes)
        families.setdefault(truth["family"], []).append((f, right))
        if options.list:
            count = "-" if notes is None else len(notes)
            print(f"{truth['name']:16} {truth['kind']:6} F {f:.2f}  {len(truth['notes'])} notes, found {count}")
    print("| family | F, median | right |\n|---|---|---|")
    for family, results in families.items():
        print(f"| {family} | {statistics.median(f for f, _ in results):.2f} | {sum(r for _, r in results)} of {len(results)} |")
    every = [each for results in families.values() for each in results]
    print(f"| all | {statistics.median(f for f, _ in every):.2f} | {sum(r for _, r in every)} of {len(every)} |")


if __name__ == "__main__":
    main()
