#!/usr/bin/python3
"""Whether likeness takes what is nearly the same for the same, and what is not for another sound.

Usage: bench/readings/likeness.py CLI FOLDER ASIDE OTHER [--half tuning|final] [--list]

FOLDER, ASIDE, OTHER: of phrases.py, without an option, with --aside and with --other. Every pair is compared with the
notes that were played. Asked: likeness of a phrase and the same a just noticeable step aside at least 90 in 95 % and
never below 80; of a phrase and another sound on its notes at most 60 in 90 %.
"""
import argparse
import concurrent.futures
import json
import pathlib
import statistics
import subprocess
import sys
import tempfile

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parent.parent.parent / "demo"))
import generate  # noqa: E402  (its MIDI writer)


def compare(cli, truth, reference, other, notes):
    done = subprocess.run([cli, "compare", str(reference), str(other), "--notes", str(notes), "--json"],
                          capture_output=True, text=True)
    if done.returncode:
        return None
    return json.loads(done.stdout)


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("cli")
    parser.add_argument("folder", type=pathlib.Path)
    parser.add_argument("aside", type=pathlib.Path)
    parser.add_argument("other", type=pathlib.Path)
    parser.add_argument("--half", default="tuning")
    parser.add_argument("--list", action="store_true")
    options = parser.parse_args()
    truths = [json.loads(path.read_text()) for path in sorted(options.folder.glob("*.json"))]
    truths = [t for t in truths if t["half"] == options.half and t["kind"] != "none"]
    with tempfile.TemporaryDirectory() as temporary:
        def both(truth):
            notes = pathlib.Path(temporary) / f"{truth['name']}.mid"
            generate.write_midi(truth, notes)
            name = f"{truth['name']}.flac"
            return [compare(options.cli, truth, options.folder / name, folder / name, notes)
                    for folder in (options.aside, options.other)]

        with concurrent.futures.ThreadPoolExecutor(2) as pool:
            results = list(pool.map(both, truths))
    sames, others = [], []
    for truth, (same, other) in zip(truths, results):
        if same:
            sames.append(same["likeness"])
        if other:
            others.append(other["likeness"])
        if options.list and same:
            worst = sorted((f["likeness"], name, f["words"]) for name, f in same["facets"].items() if f["likeness"] is not None)[:2]
            print(f"{truth['name']:14} {same['likeness']:5.1f}  other {other['likeness'] if other else float('nan'):5.1f}  "
                  + "; ".join(f"{name} {value:.0f}: {words}" for value, name, words in worst))
    print(f"nearly the same: {len(sames)} pairs, median {statistics.median(sames):.1f}, lowest {min(sames):.1f}, "
          f"{100 * sum(s >= 90 for s in sames) / len(sames):.0f} % at 90 or more, {sum(s < 80 for s in sames)} below 80")
    print(f"another sound: {len(others)} pairs, median {statistics.median(others):.1f}, highest {max(others):.1f}, "
          f"{100 * sum(s <= 60 for s in others) / len(others):.0f} % at 60 or less")


if __name__ == "__main__":
    main()
