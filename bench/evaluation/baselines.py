#!/usr/bin/python3
"""Side by side: Facet's search and the published ways of finding a patch, on the same engine, references and notes.

Usage: bench/evaluation/baselines.py FOLDER [--only ID...] [--renders N] [--ours N] [--keep FILE]
       [--program BASELINES] [--write docs/accuracy.md]
(FOLDER as for references.py; the tuning half when no ids are given)

Every rendered candidate counts. Asked: the baselines' median mel gap at 20,000 renders is reached with at most 2,000.
It takes hours: what --keep has put into FILE is not measured again. Times are not told: the renders count, so it may run
beside other work.
"""
import argparse
import json
import pathlib
import statistics
import subprocess
import sys
import tempfile

HERE = pathlib.Path(__file__).resolve().parent
sys.dont_write_bytecode = True
sys.path[:0] = [str(HERE), str(HERE.parent)]
import evaluate  # noqa: E402
import references  # noqa: E402

PROGRAM = HERE.parent.parent / "build/release/bench/baselines"
NAMES = {"cma": "covariance matrix adaptation, multi-resolution spectra", "genetic": "genetic algorithm, cepstra",
         "facet": "Facet"}


def run(program, folder, name, method, renders):
    with tempfile.TemporaryDirectory() as out:
        done = subprocess.run([str(program), str(folder / f"{name}.flac"), str(folder / f"{name}.json"), f"{out}/r.wav",
                               str(renders), method, "1"], check=True, capture_output=True, text=True)
        measured = evaluate.judged(folder, name, pathlib.Path(out) / "r.wav")
    return {"gap": measured["mel_gap"], "d": measured["d_db"], "renders": int(done.stdout)}


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--only", nargs="+")
    parser.add_argument("--renders", type=int, default=20000)
    parser.add_argument("--ours", type=int, nargs="+", default=[500, 2000])
    parser.add_argument("--keep", type=pathlib.Path)
    parser.add_argument("--program", type=pathlib.Path, default=PROGRAM)
    parser.add_argument("--write", type=pathlib.Path)
    options = parser.parse_args()
    names = options.only or references.ids("tuning")
    references.make(options.folder, names)
    kept = {}
    if options.keep and options.keep.exists():
        for text in options.keep.read_text().splitlines():
            key, result = json.loads(text)
            kept[tuple(key)] = result
    rows = ["| method | renders | median mel gap | lowest | highest | median d (dB) |", "|---|---|---|---|---|---|"]
    for method, renders in [("cma", options.renders), ("genetic", options.renders)] + [("facet", n) for n in options.ours]:
        results = []
        for name in names:
            key = (method, renders, name)
            if key not in kept:
                kept[key] = run(options.program, options.folder, name, method, renders)
                if options.keep:
                    with options.keep.open("a") as file:
                        file.write(json.dumps([key, kept[key]]) + "\n")
            results.append(kept[key])
            print(f"{method:8} {name:32} {results[-1]}", flush=True)
        middle = {k: statistics.median(r[k] for r in results) for k in ("gap", "d", "renders")}
        gaps = [r["gap"] for r in results]
        rows.append(f"| {NAMES[method]} | {middle['renders']:.0f} | {middle['gap']:.3f} | {min(gaps):.3f} | "
                    f"{max(gaps):.3f} | {middle['d']:.2f} |")
    table = "\n".join(rows) + f"\n\n{len(names)} references: {', '.join(names)}.\n"
    print(table)
    if options.write:
        evaluate.write_between(options.write, "baselines", table)


if __name__ == "__main__":
    main()
