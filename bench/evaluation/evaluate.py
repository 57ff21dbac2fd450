#!/usr/bin/python3
"""How well `facet-cli match` rebuilds sounds that Facet's engine did not make; see references.py for which.

Usage: bench/evaluation/evaluate.py FOLDER [--half tuning|final|moving] [--seconds 30 …] [--only ID …] [--cli PATH]
                                    [--jobs 1] [--write docs/accuracy.md] [--out results.json]

Makes the references in FOLDER where they are missing, matches each for so many seconds with nothing but the recording,
and measures the render by bench/external_measure.py, which shares no code with Facet. Prints a line for each and the
medians; --write puts a table between the marks of the page. Gate: median mel gap 0.82, 25th percentile 0.65, median
d 3.5 dB, strong gap 0.5, f0 2 cents, envelope 1.5 dB. Aim: 0.90, 0.75, 2 dB.
"""
import argparse
import concurrent.futures
import json
import pathlib
import statistics
import subprocess
import sys
import tempfile

import numpy as np

HERE = pathlib.Path(__file__).resolve().parent
sys.path.insert(0, str(HERE))
sys.path.insert(0, str(HERE.parent))
import external_measure  # noqa: E402
import references  # noqa: E402
from undisturbed import undisturbed  # noqa: E402


def judged(folder, name, render):
    """What the external measure says of a render file of a reference; what needs no render is kept beside it."""
    truth = json.loads((folder / f"{name}.json").read_text())
    reference, rate = external_measure.read(folder / f"{name}.flac")
    kept = folder / f"{name}.yardsticks"
    if not kept.exists():
        kept.write_text(json.dumps(external_measure.yardsticks(truth, reference, rate)))
    return external_measure.measure(truth, reference, external_measure.read(render)[0], rate, json.loads(kept.read_text()))


def write_between(page, name, text):
    """Replaces what a page holds between "<!-- NAME -->" and "<!-- end of NAME -->"."""
    begin, end = f"<!-- {name} -->\n", f"<!-- end of {name} -->"
    before, rest = page.read_text().split(begin)
    page.write_text(before + begin + text + end + rest.split(end)[1])


def match(cli, folder, name, options):
    """One match; what the external measure says of it, and what Facet says."""
    with tempfile.TemporaryDirectory() as out:
        done = subprocess.run([cli, "match", str(folder / f"{name}.flac"), "--out", out, *options],
                              capture_output=True, text=True)
        if done.returncode:
            return {"id": name, "failed": done.stderr.strip()}
        told = json.loads((pathlib.Path(out) / "report.json").read_text())
        measured = judged(folder, name, pathlib.Path(out) / "render.wav")
    facets = {name: f["after"] for name, f in told["facets"].items() if f["after"] is not None}
    worst = sorted(facets, key=facets.get)[:2]
    return {"id": name, **measured, "likeness": told["likeness"]["after"], "evaluations": told["evaluations"],
            "structure": told["structure"], "limits": ", ".join(f"{w} {facets[w]:.0f}" for w in worst)}


def median(results, key):
    values = [r[key] for r in results if r.get(key) is not None and np.isfinite(r[key])]
    return statistics.median(values) if values else float("nan")


def summary(results):
    good = [r for r in results if "failed" not in r]
    # A match that failed is as good as nothing.
    gaps = [r.get("mel_gap", 0.0) for r in results]
    return {"mel_gap": statistics.median(gaps), "mel_gap_25": float(np.percentile(gaps, 25)),
            "d_db": median(good, "d_db"), "strong_gap": median(good, "strong_gap"), "f0_cents": median(good, "f0_cents"),
            "envelope_db": median(good, "envelope_db"), "likeness": median(good, "likeness"), "count": len(results)}


def line(s):
    return (f"mel gap {s['mel_gap']:.3f}, 25 % {s['mel_gap_25']:.3f}, d {s['d_db']:.2f} dB, strong gap "
            f"{s['strong_gap']:.3f}, f0 {s['f0_cents']:.2f} ct, envelope {s['envelope_db']:.2f} dB, likeness "
            f"{s['likeness']:.0f} ({s['count']})")


def table(by_half, seconds):
    """Markdown: medians by time and half, then each reference after the longest time."""
    rows = ["| half | after | mel gap | 25 % | d (dB) | strong gap | f0 (cents) | envelope (dB) | likeness |",
            "|---|---|---|---|---|---|---|---|---|"]
    for half, by_time in by_half.items():
        for after in seconds:
            s = summary(by_time[after])
            rows.append(f"| {half} | {after:g} s | {s['mel_gap']:.3f} | {s['mel_gap_25']:.3f} | {s['d_db']:.2f} | "
                        f"{s['strong_gap']:.3f} | {s['f0_cents']:.2f} | {s['envelope_db']:.2f} | {s['likeness']:.0f} |")
    rows += ["", f"Each after {seconds[-1]:g} s; what limits it are the two facets least alike.", "",
             "| reference | half | mel gap | d (dB) | strong gap | likeness | what limits it | found |",
             "|---|---|---|---|---|---|---|---|"]
    for half, by_time in by_half.items():
        for r in by_time[seconds[-1]]:
            if "failed" in r:
                rows.append(f"| {r['id']} | {half} | – | – | – | – | {r['failed']} | |")
            else:
                rows.append(f"| {r['id']} | {half} | {r['mel_gap']:.3f} | {r['d_db']:.2f} | {r['strong_gap']:.3f} | "
                            f"{r['likeness']:.0f} | {r['limits']} | {r['structure']} |")
    disturbed = [r["disturbed"] for by_time in by_half.values() for some in by_time.values() for r in some]
    rows += ["", f"Other guests of the machine's host took {100 * statistics.median(disturbed):.0f} % of its processors' "
                 f"time while a match ran (median; {100 * max(disturbed):.0f} % at most)."]
    return "\n".join(rows)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("--half", choices=("tuning", "final", "moving", "sealed"))
    parser.add_argument("--seconds", type=float, nargs="+", default=[30.0])
    parser.add_argument("--evaluations", type=int, help="a fixed number of renders in place of a time")
    parser.add_argument("--only", nargs="+")
    parser.add_argument("--cli", default=str(HERE.parent.parent / "build/release/cli/facet-cli"))
    parser.add_argument("--jobs", type=int, default=1, help="matches at the same time; times mean something with 1 only")
    parser.add_argument("--write", type=pathlib.Path)
    parser.add_argument("--out", type=pathlib.Path)
    options = parser.parse_args()
    references.make(options.folder, options.only or references.ids(options.half))
    by_half = {}
    for half in [options.half] if options.half else ["tuning", "final"]:
        wanted = [i for i in references.ids(half) if not options.only or i in options.only]
        by_half[half] = {}
        for seconds in options.seconds if not options.evaluations else [0.0]:
            extra = ["--evaluations", str(options.evaluations), "--seconds", "0"] if options.evaluations else \
                ["--seconds", str(seconds)]
            with concurrent.futures.ThreadPoolExecutor(options.jobs) as pool:
                results = []
                def one(name):
                    found, disturbed = undisturbed(lambda: match(options.cli, options.folder, name, extra),
                                                   times=1 if options.evaluations else 3)
                    return {**found, "disturbed": disturbed}

                for r in pool.map(one, wanted):
                    results.append(r)
                    print(f"{r['id']:34}" + (r["failed"] if "failed" in r else
                          f"gap {r['mel_gap']:6.3f}  d {r['d_db']:5.2f}  strong {r['strong_gap']:6.3f}  f0 "
                          f"{r['f0_cents'] if r['f0_cents'] is not None else float('nan'):6.2f}  env {r['envelope_db']:5.2f}  "
                          f"likeness {r['likeness']:3.0f}  {r['evaluations']:6}  {100 * r['disturbed']:2.0f} %  {r['limits']:28} {r['structure']}"), flush=True)
            by_half[half][seconds] = results
            if results:
                print(f"== {half}, {seconds:g} s: {line(summary(results))}", flush=True)
    if options.out:
        options.out.write_text(json.dumps({h: {str(s): r for s, r in t.items()} for h, t in by_half.items()}, indent=1))
    if options.write:
        write_between(options.write, "matching", table(by_half, options.seconds) + "\n")


if __name__ == "__main__":
    main()
