#!/usr/bin/python3
"""How true next moves are from the empty patch, on sounds of known making.

Usage: bench/construction/from_empty.py PROGRAM FOLDER [--half tuning|sealed] [--seconds 10] [--taken 12] [--keep FILE] [--only ID …]

PROGRAM is build/release/bench/from_empty, FOLDER what references.py left. A move is true where the elements it brings are
the sound's (and those it takes away are not), or where it only sets what is there: values of such an element, levels, tunings.
What stands for what is said in score.py. FILE keeps what was measured.
"""
import argparse
import json
import pathlib
import statistics
import subprocess
import sys

sys.dont_write_bytecode = True
sys.path.insert(0, str(pathlib.Path(__file__).resolve().parent))
import references  # noqa: E402
import score  # noqa: E402

FILTERS = {"low-pass", "high-pass", "band-pass", "notch", "comb", "all-pass", "formants"}
# What the values of a module stand for; those of sources, layers, level envelopes and the output are levels and tunings.
MODULE = {"filter": FILTERS, "filter2": FILTERS, "lfo": {"vibrato", "tremolo", "gate", "filter lfo", "moved width", "filter opens"}}
# The empty patch's wave is there before any move.
BEGINNING = {"saw"}


def is_true(move, truth):
    notes = len(truth["notes"])
    true = score.true_elements(truth)
    if "fm" in true:
        true.add("sine")  # what carries it is a move before it
    adds, removes = score.words(move["adds"], notes), score.words(move["removes"], notes)
    if adds or removes:
        right, wrong = len(adds & true), len(adds - true) + len((removes & true) - adds)
        return (right > 0 or not adds) and wrong < max(1, right) and not (not adds and removes & true)
    for address in move["changes"]:
        module, _ = address.rsplit("/", 1)
        kind = module.rsplit("/", 1)[-1].split(":")[0]
        if kind == "envelope" and module.endswith(":filter"):
            if not true & {"filter envelope"}:
                return False
        elif kind in MODULE:
            if not true & MODULE[kind]:
                return False
        elif "/" not in module and ":" in module and kind not in ("layer", "link", "macro"):
            if not true & score.words({kind}, notes):
                return False
    return True


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("program")
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--half", default="tuning")
    parser.add_argument("--seconds", type=float, default=10.0)
    parser.add_argument("--taken", type=int, default=12, help="first moves taken one after another")
    parser.add_argument("--keep", type=pathlib.Path)
    parser.add_argument("--only", nargs="*")
    options = parser.parse_args()
    ids = options.only or references.ids(options.half)
    kept = {}
    if options.keep and options.keep.exists():
        kept = {row["id"]: row for row in map(json.loads, options.keep.read_text().splitlines())}
    rows = []
    for name in ids:
        if name not in kept:
            run = subprocess.run([options.program, options.folder, str(options.seconds), str(options.taken), name], capture_output=True, text=True)
            if run.returncode or not run.stdout.strip():
                print(f"{name}: nothing, {run.stderr.strip()}")
                continue
            kept[name] = json.loads(run.stdout)
            if options.keep:
                with options.keep.open("a") as file:
                    file.write(json.dumps(kept[name]) + "\n")
        row = kept[name]
        truth = json.loads((options.folder / f"{name}.json").read_text())
        row["true"] = [is_true(move, truth) for move in row["list"][:3]]
        rows.append(row)
        print(f"{name:12} {row['first seconds']:4.1f} s, {row['seconds']:5.1f} s  " + " ".join("+" if t else "-" for t in row["true"]) +
              f"  chain {row['chain'][0]:.0f} → {row['chain'][-1]:.0f} in {len(row['taken'])}, search {row.get('search', float('nan')):.0f}")
        for move, true in zip(row["list"][:3], row["true"]):
            print(f"    {'+' if true else '-'} {move['what']}")
    first = [row["true"][0] for row in rows if row["true"]]
    three = [t for row in rows for t in row["true"]]
    near = [max(row["chain"]) >= row["search"] - 5.0 for row in rows if "search" in row]
    print(f"first move true: {sum(first)} of {len(first)}; of the first three: {sum(three)} of {len(three)}; "
          f"within 5 of the search: {sum(near)} of {len(near)}")
    print(f"first list after {statistics.median(row['first seconds'] for row in rows):.1f} s (median), {max(row['first seconds'] for row in rows):.1f} s at most; "
          f"prepared in {statistics.median(row['preparing'] for row in rows):.1f} s; whole list {statistics.median(row['seconds'] for row in rows):.1f} s")


if __name__ == "__main__":
    main()
