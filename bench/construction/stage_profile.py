#!/usr/bin/python3
"""Where searches spend their time, by stage: a table in Markdown from their reports.

Usage: bench/construction/stage_profile.py FOUND      (FOUND holds ID/report.json of searches)
"""
import collections
import json
import pathlib
import statistics
import sys


def main():
    reports = [json.loads(p.read_text()) for p in sorted(pathlib.Path(sys.argv[1]).glob("*/report.json"))]
    if not reports:
        raise SystemExit(f"There is no report in {sys.argv[1]}; give the folder that holds the folders of searches.")
    seconds, processors, comparing, candidates, renders, order = (collections.Counter() for _ in range(6))
    ran = collections.Counter()
    for report in reports:
        for place, stage in enumerate(report["stages"]):
            name = stage["stage"]
            order[name] = max(order[name], place + 1)
            ran[name] += stage["candidates"] > 0 or stage["seconds"] > 0.1
            seconds[name] += stage["seconds"]
            processors[name] += stage["processor_seconds"]
            comparing[name] += stage["comparing_seconds"]
            candidates[name] += stage["candidates"]
            renders[name] += stage["renders"]
    whole = sum(seconds.values())
    print(f"{len(reports)} searches, {statistics.median(r['seconds'] for r in reports):.1f} s each, "
          f"{statistics.median(r['evaluations'] for r in reports):.0f} renders compared in the median\n")
    print("| stage | in searches | share of time | processors busy | comparing, of processor time | candidates per second | renders per candidate |\n|---|---|---|---|---|---|---|")
    for name in sorted(seconds, key=lambda n: order[n]):
        if seconds[name] < 0.002 * whole:
            continue
        rate = f"{candidates[name] / seconds[name]:.0f} | {renders[name] / candidates[name]:.2f}" if candidates[name] else "– | –"
        print(f"| {name} | {ran[name]} | {100 * seconds[name] / whole:.0f} % | {processors[name] / seconds[name]:.2f} | "
              f"{100 * comparing[name] / max(1e-9, processors[name]):.0f} % | {rate} |")


if __name__ == "__main__":
    main()
