"""facet-cli as a user runs it: its contract, its exit codes and its one sentence for every bad input."""
import json
import os
import pathlib
import re
import signal
import sqlite3
import subprocess
import tempfile
import time
import unittest
import warnings

import numpy as np
from scipy.io import wavfile

CLI = os.environ["FACET_CLI"]
DEMO = pathlib.Path(os.environ["FACET_SOURCE"]) / "demo"
FIXTURES = pathlib.Path(os.environ["FACET_SOURCE"]) / "tests/fixtures/patches"


def run(*words):
    return subprocess.run([CLI, *map(str, words)], capture_output=True, text=True, timeout=300)


class CommandLine(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.path = pathlib.Path(self.folder.name)

    def tearDown(self):
        self.folder.cleanup()

    def test_version_and_help(self):
        self.assertEqual(run("--version").returncode, 0)
        self.assertIn("facet-cli", run("--version").stdout)
        self.assertIn("match", run("--help").stdout)

    def test_wrong_usage_exits_with_2(self):
        for words in [(), ("nonsense",), ("analyze",), ("match", "a.wav"), ("match", "a.wav", "--out", "x", "--region", "3"),
                      ("render", "p.json", "--out", "x.wav", "--rate", "12")]:
            self.assertEqual(run(*words).returncode, 2, words)

    def test_readings(self):
        readings = json.loads(run("readings", DEMO / "comet-tail-echoes.flac", "--json").stdout)["readings"]
        self.assertAlmostEqual(sum(r["probability"] for r in readings), 1.0, 6)
        self.assertTrue(all(r["words"] and r["notes"] for r in readings))
        printed = run("readings", DEMO / "comet-tail-echoes.flac").stdout
        for number, reading in enumerate(readings, 1):
            self.assertIn(f"{number}  ", printed)
            self.assertIn(reading["words"], printed)
        last = json.loads(run("analyze", DEMO / "comet-tail-echoes.flac", "--reading", str(len(readings)), "--json").stdout)
        self.assertEqual([n["key"] for n in last["notes"]], [n["key"] for n in readings[-1]["notes"]])
        if len(readings) < 6:
            refused = run("analyze", DEMO / "comet-tail-echoes.flac", "--reading", "6")
            self.assertEqual(refused.returncode, 1)
            self.assertIn("readings lists them", refused.stderr)

    def test_match_tries_the_readings(self):
        reference = DEMO / "comet-tail-echoes.flac"
        listed = json.loads(run("readings", reference, "--json").stdout)["readings"]
        options = ["--evaluations", 120, "--seconds", 0, "--without-bank"]
        report = lambda name: json.loads((self.path / name / "report.json").read_text())
        tried = run("match", reference, "--out", self.path / "all", *options)
        self.assertEqual(tried.returncode, 0, tried.stderr)
        trials = report("all")["readings"]
        likely = [r for r in listed if r["probability"] >= 0.08 * listed[0]["probability"]][:3]
        self.assertEqual([t["words"] for t in trials], [r["words"] for r in likely] if len(likely) > 1 else [])
        for trial in trials:
            self.assertIn(trial["words"], tried.stdout)
            self.assertEqual(trial["notes"], len(listed[trial["reading"] - 1]["notes"]))
        one = run("match", reference, "--out", self.path / "one", "--reading", "1", *options)
        self.assertEqual(one.returncode, 0, one.stderr)
        self.assertEqual(report("one")["readings"], [])
        given = run("match", reference, "--out", self.path / "given", "--notes", DEMO / "comet-tail.mid", *options)
        self.assertEqual(given.returncode, 0, given.stderr)
        self.assertEqual(report("given")["readings"], [])
        # A performance gives tuning and curves besides, which a MIDI file does not hold.
        written = json.loads((self.path / "given" / "performance.json").read_text())
        written["tuning_cents"] = 7.5
        exact = self.path / "exact.json"
        exact.write_text(json.dumps(written))
        again = run("match", reference, "--out", self.path / "again", "--performance", exact, *options)
        self.assertEqual(again.returncode, 0, again.stderr)
        played = json.loads((self.path / "again" / "performance.json").read_text())
        self.assertEqual(played["tuning_cents"], 7.5)
        self.assertEqual(played["notes"], written["notes"])
        both = run("match", reference, "--out", self.path / "no", "--performance", exact, "--notes", DEMO / "comet-tail.mid", *options)
        self.assertNotEqual(both.returncode, 0)

    def test_elements(self):
        patch = sorted(FIXTURES.glob("*.json"))[0]
        said = run("elements", patch)
        self.assertEqual(said.returncode, 0, said.stderr)
        listed = json.loads(run("elements", patch, "--notes", DEMO / "comet-tail.mid", "--json").stdout)["elements"]
        self.assertGreater(len(listed), 1)
        for each in listed:
            self.assertTrue(each["words"])
            self.assertEqual(each["heard"], each["cost"] >= 1.0)
            self.assertIn(each["element"], said.stdout)
        ruled = run("match", DEMO / "comet-tail.flac", "--notes", DEMO / "comet-tail.mid", "--out", self.path / "ruled", "--evaluations", 80, "--seconds", 0,
                    "--rule-out", "effects, noise", "--without-bank")
        self.assertEqual(ruled.returncode, 0, ruled.stderr)
        report = json.loads((self.path / "ruled" / "report.json").read_text())
        words = {e["element"] for e in report["elements"]}
        self.assertTrue(words)
        self.assertFalse(words & {"noise", "chorus", "reverb", "delay", "saturation", "compressor"})
        for each in report["elements"]:
            self.assertGreaterEqual(each["cost"], 0.0)
        self.assertIn("pulse", report["evidence"])
        self.assertTrue(any("evidence" in each for each in report["elements"]))
        insisted = run("match", DEMO / "comet-tail.flac", "--notes", DEMO / "comet-tail.mid", "--out", self.path / "insisted", "--evaluations", 80, "--seconds", 0,
                       "--insist", "noise, chorus", "--without-bank")
        self.assertEqual(insisted.returncode, 0, insisted.stderr)
        words = {e["element"] for e in json.loads((self.path / "insisted" / "report.json").read_text())["elements"]}
        self.assertLessEqual({"noise", "chorus"}, words)
        both = run("match", DEMO / "comet-tail.flac", "--out", self.path / "wrong", "--rule-out", "fm", "--insist", "fm")
        self.assertEqual(both.returncode, 1)
        self.assertIn("insisted on and ruled out", both.stderr)
        wrong = run("match", DEMO / "comet-tail.flac", "--out", self.path / "wrong", "--rule-out", "wobble")
        self.assertEqual(wrong.returncode, 1)
        self.assertIn("wobble", wrong.stderr)

    def test_analyze(self):
        measured = json.loads(run("analyze", DEMO / "comet-tail.flac", "--json").stdout)
        truth = json.loads((DEMO / "comet-tail.json").read_text())
        self.assertEqual([n["key"] for n in measured["notes"]], [n[2] for n in truth["notes"]])
        self.assertAlmostEqual(measured["tuning_cents"], truth["tuning_cents"], delta=2)
        self.assertEqual(measured["source"]["nearest"], "pulse 30 %")
        self.assertEqual(len(measured["partials_db"]), 40)
        self.assertIn("note", run("analyze", DEMO / "airlock.flac").stdout)
        with_notes = json.loads(run("analyze", DEMO / "comet-tail-echoes.flac", "--notes", DEMO / "comet-tail.mid", "--json").stdout)
        self.assertEqual(len(with_notes["notes"]), len(truth["notes"]))

    def test_match_leaves_what_it_promises(self):
        out = self.path / "m"
        first = run("match", DEMO / "airlock.flac", "--out", out, "--evaluations", 150, "--seconds", 0, "--seed", 3, "--threads", 1)
        self.assertEqual(first.returncode, 0, first.stderr)
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["notes.mid", "patch.json", "performance.json", "render.wav", "report.json"])
        report = json.loads((out / "report.json").read_text())
        self.assertLessEqual(report["evaluations"], 150)
        self.assertEqual(report["seed"], 3)
        self.assertGreater(report["likeness"]["after"], report["likeness"]["before"])
        self.assertEqual(set(report["facets"]), {"pitch", "level", "harmonics", "brightness", "noise", "motion", "width", "space"})
        self.assertTrue(report["structure"])
        # Rendering patch and performance again gives the same bytes.
        run("render", out / "patch.json", "--performance", out / "performance.json", "--out", self.path / "again.wav")
        self.assertEqual((self.path / "again.wav").read_bytes(), (out / "render.wav").read_bytes())
        # Equal evaluations and seed give equal results on two threads.
        run("match", DEMO / "airlock.flac", "--out", self.path / "n", "--evaluations", 150, "--seconds", 0, "--seed", 3, "--threads", 2)
        self.assertEqual((self.path / "n/patch.json").read_text(), (out / "patch.json").read_text())
        self.assertEqual((self.path / "n/render.wav").read_bytes(), (out / "render.wav").read_bytes())
        # Same length, rate and channels as the reference.
        compared = json.loads(run("compare", DEMO / "airlock.flac", out / "render.wav", "--json").stdout)
        self.assertAlmostEqual(compared["likeness"], report["likeness"]["after"], delta=6)

    def test_match_obeys_start_lock_and_region(self):
        start = self.path / "start.json"
        start.write_text(json.dumps({"format": "facet-patch", "version": 1, "modules": {
            "layer:a/filter:a": {"on": True, "cutoff": 777.0}, "layer:a/source:a": {"wave": "triangle"}}}))
        done = run("match", DEMO / "airlock.flac", "--out", self.path / "m", "--evaluations", 60, "--seconds", 0, "--start", start,
                   "--lock", "layer:a/filter:a/cutoff", "--lock", "layer:a/source:a/wave", "--region", "1.35:2.5", "--focus", "40:4000")
        self.assertEqual(done.returncode, 0, done.stderr)
        patch = json.loads((self.path / "m/patch.json").read_text())["modules"]
        self.assertEqual(patch["layer:a/filter:a"]["cutoff"], 777.0)
        self.assertEqual(patch["layer:a/source:a"]["wave"], "triangle")
        performance = json.loads((self.path / "m/performance.json").read_text())
        self.assertEqual(performance["render"]["frames"], round(1.15 * 44100))
        self.assertEqual([n["key"] for n in performance["notes"]], [36, 31])

    def test_match_obeys_ranges_and_what_is_left_out(self):
        done = run("match", DEMO / "airlock.flac", "--out", self.path / "m", "--evaluations", 60, "--seconds", 0,
                   "--range", "layer:a/filter:a/cutoff=2000:2500", "--range", "layer:a/envelope:level/release=400:500",
                   "--leave-out", "1.35:2.5", "--leave-out", "2.4:3.0", "--without", "space,width")
        self.assertEqual(done.returncode, 0, done.stderr)
        patch = json.loads((self.path / "m/patch.json").read_text())["modules"]
        self.assertTrue(2000.0 <= patch["layer:a/filter:a"]["cutoff"] <= 2500.0)
        self.assertTrue(400.0 <= patch["layer:a/envelope:level"]["release"] <= 500.0)
        for wrong, word in [("layer:a/filter:a/cutoff", "ADDRESS=LOW:HIGH"), ("layer:a/filter:a/cutoff=9:1", "increasing"),
                            ("layer:a/filter:a/cutoff=1:99999", "takes"), ("layer:a/filter:a/cutof=1:2", "no “layer:a")]:
            done = run("match", DEMO / "airlock.flac", "--out", self.path / "n", "--range", wrong)
            self.assertEqual(done.returncode, 1, (wrong, done.stderr))
            self.assertIn(word, done.stderr)
        self.assertEqual(run("match", DEMO / "airlock.flac", "--out", self.path / "n", "--leave-out", "3").returncode, 2)
        done = run("match", DEMO / "airlock.flac", "--out", self.path / "n", "--leave-out", "0:9")
        self.assertEqual(done.returncode, 1)
        self.assertIn("leave out less", done.stderr)

    def test_a_stopped_match_still_writes_the_best_so_far(self):
        process = subprocess.Popen([CLI, "match", str(DEMO / "airlock.flac"), "--out", str(self.path / "m"), "--seconds", "60"],
                                   stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        time.sleep(4)
        process.send_signal(signal.SIGINT)
        out, err = process.communicate(timeout=60)
        self.assertEqual(process.returncode, 0, err)
        self.assertIn("stopped", out)
        self.assertFalse(json.loads((self.path / "m/report.json").read_text())["complete"])

    def test_render_rates_and_formats(self):
        empty = self.path / "empty.json"
        empty.write_text('{"format": "facet-patch", "version": 1}')
        self.assertEqual(run("render", empty, "--notes", DEMO / "airlock.mid", "--out", self.path / "a.wav", "--rate", 44100).returncode, 0)
        self.assertEqual(run("render", empty, "--notes", DEMO / "airlock.mid", "--out", self.path / "a.flac").returncode, 0)
        self.assertGreater((self.path / "a.wav").stat().st_size, 44100 * 2.6 * 8)
        self.assertEqual(run("render", empty, "--out", self.path / "a.wav").returncode, 2)

    def test_render_leaves_parts_out_and_goes_on_to_the_last_echo(self):
        patch = self.path / "p.json"
        patch.write_text(json.dumps({"format": "facet-patch", "version": 1, "name": "p", "modules": {
            "layer:a/source:b": {"on": True, "octave": 1},
            "delay:a": {"on": True, "time": 700, "feedback": 50},
            "reverb:a": {"on": True, "decay": 500}}}))
        sizes = {}
        for name, words in {"whole": [], "dry": ["--dry-from", "delay:a"], "echo": ["--up-to", "delay:a"],
                            "one": ["--without", "layer:a/source:b", "--without", "delay:a", "--without", "reverb:a"],
                            "alone": ["--alone", "layer:a/source:a", "--dry-from", "delay:a"]}.items():
            out = self.path / f"{name}.wav"
            self.assertEqual(run("render", patch, "--notes", DEMO / "comet-tail.mid", "--out", out, *words).returncode, 0)
            sizes[name] = out.stat().st_size
        self.assertGreater(sizes["whole"], sizes["dry"] + 48000 * 4 * 3)  # echoes go on for seconds
        self.assertEqual((self.path / "one.wav").read_bytes(), (self.path / "alone.wav").read_bytes())
        wrong = run("render", patch, "--notes", DEMO / "comet-tail.mid", "--out", self.path / "x.wav", "--without", "chorus:z")
        self.assertEqual(wrong.returncode, 1)
        self.assertIn("chorus:z", wrong.stderr)

    def test_wavetable_takes_cycles_out_of_a_note(self):
        out = self.path / "w.json"
        done = run("wavetable", DEMO / "airlock.flac", "--region", "0.05:0.8", "--frames", 8, "--out", out)
        self.assertEqual(done.returncode, 0, done.stderr)
        source = json.loads(out.read_text())["modules"]["layer:a/source:a"]
        self.assertEqual(source["wave"], "wavetable")
        self.assertEqual(len(source["frames_f32"]), 4 * ((8 * 2048 * 4 + 2) // 3))
        self.assertEqual(run("render", out, "--notes", DEMO / "airlock.mid", "--out", self.path / "w.wav").returncode, 0)
        wrong = run("wavetable", DEMO / "airlock.flac", "--out", out)  # a recording is no wavetable
        self.assertEqual(wrong.returncode, 1)
        self.assertEqual(len(wrong.stderr.strip().splitlines()), 1)

    def test_bad_input_gets_one_sentence(self):
        (self.path / "empty.wav").write_bytes(b"")
        (self.path / "text.wav").write_text("just words")
        (self.path / "cut.flac").write_bytes((DEMO / "airlock.flac").read_bytes()[:20000])
        (self.path / "patch.json").write_text('{"format": "facet-patch", "version": 1, "modules": {"output": {"level": "loud"}}}')
        import numpy
        from scipy.io import wavfile
        wavfile.write(self.path / "zero.wav", 48000, numpy.zeros(48000, numpy.float32))
        wavfile.write(self.path / "nan.wav", 48000, numpy.full(48000, numpy.nan, numpy.float32))
        wavfile.write(self.path / "two.wav", 48000, numpy.array([0.5, -0.5], numpy.float32))
        wavfile.write(self.path / "six.wav", 48000, numpy.ones((48000, 6), numpy.float32))
        cases = [("analyze", self.path / name) for name in
                 ("empty.wav", "text.wav", "cut.flac", "zero.wav", "nan.wav", "two.wav", "six.wav", "missing.wav", "")]
        cases += [("render", self.path / "patch.json", "--notes", DEMO / "airlock.mid", "--out", self.path / "x.wav"),
                  ("render", self.path / "text.wav", "--notes", DEMO / "airlock.mid", "--out", self.path / "x.wav"),
                  ("analyze", DEMO / "airlock.flac", "--notes", self.path / "text.wav"),
                  ("match", DEMO / "airlock.flac", "--out", "/proc/nowhere"),
                  ("match", DEMO / "airlock.flac", "--out", self.path / "m", "--lock", "layer:a/filter:a/cutof"),
                  ("match", DEMO / "airlock.flac", "--out", self.path / "m", "--region", "90:95")]
        for words in cases:
            done = run(*words)
            self.assertEqual(done.returncode, 1, (words, done.stdout, done.stderr))
            self.assertEqual(done.stdout, "", words)
            lines = done.stderr.strip().splitlines()
            self.assertEqual(len(lines), 1, (words, done.stderr))
            self.assertRegex(lines[0], r"^\S.*\.$", words)

    def test_moves_are_listed_and_taken(self):
        with tempfile.TemporaryDirectory() as name:
            folder = pathlib.Path(name)
            reference, notes = DEMO / "touchdown.flac", DEMO / "touchdown.mid"
            listed = run("moves", reference, "--notes", notes, "--take", "1", "--out", folder / "better.json")
            lines = [line for line in listed.stdout.splitlines() if not line.startswith("    ")]
            self.assertTrue(1 <= len(lines) <= 5, lines)
            self.assertIn("\n    ", listed.stdout, "a reason")
            before, after = map(int, re.search(r"whole (\d+) → (\d+)", lines[0]).groups())
            self.assertTrue(after > before or "once all is there" in lines[0], lines[0])
            run("render", folder / "better.json", "--notes", notes, "--out", folder / "better.wav")
            told = run("compare", reference, folder / "better.wav", "--notes", notes).stdout
            likeness = lambda text: int(re.match(r"Likeness (\d+)", text).group(1))
            self.assertAlmostEqual(likeness(told), after, delta=3)
            facets = {name.lower(): int(value) for name, value in re.findall(r"^([A-Z]\w+) +(\d+)  ", told, re.M)}
            least = sorted(facets, key=facets.get)[:3]
            aside = run("compare", reference, folder / "better.wav", "--notes", notes, "--without", ",".join(least))
            self.assertGreater(likeness(aside.stdout), likeness(told), least)
            wrong = run("compare", reference, folder / "better.wav", "--without", "color")
            self.assertEqual(wrong.returncode, 1)
            self.assertIn("There is no facet", wrong.stderr)

    def test_moves_are_about_what_is_asked(self):
        reference, notes = DEMO / "touchdown.flac", DEMO / "touchdown.mid"
        pitch = run("moves", reference, "--notes", notes, "--facet", "pitch")
        for line in pitch.stdout.splitlines():
            if not line.startswith("    "):
                before, after = map(int, re.search(r": Pitch (\d+) → (\d+), ", line).groups())
                self.assertGreater(after, before, line)
        self.assertIn("Pitch falls by", pitch.stdout)
        for wrong in (("--facet", "color"), ("--module", "layer:a/filter:z")):
            done = run("moves", reference, "--notes", notes, *wrong)
            self.assertEqual(done.returncode, 1, done.stdout)
            self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)

    def test_a_build_is_told_and_heard(self):
        with tempfile.TemporaryDirectory() as name:
            folder = pathlib.Path(name)
            reference, notes, patch = DEMO / "airlock.flac", DEMO / "airlock.mid", FIXTURES / "sliding-lead.json"
            told = run("build", reference, "--notes", notes, "--patch", patch).stdout
            self.assertRegex(told, r"^The empty patch is \d+ alike\.\n1\. .+ \(\d+ → \d+\)\n   Set: ")
            run("match", reference, "--notes", notes, "--out", folder / "m", "--seconds", "0", "--evaluations", "1", "--without-bank")
            played = ("--performance", folder / "m" / "performance.json")
            build = json.loads(run("build", reference, *played, "--patch", patch, "--json", "--audio", folder / "steps").stdout)
            self.assertEqual(build["format"], "facet-build")
            files = sorted((folder / "steps").glob("*.wav"))
            self.assertEqual(len(files), len(build["steps"]) + 1, files)
            self.assertEqual(files[0].name, "00-empty.wav")
            # The last step's sound is the patch's own, to the bit.
            run("render", patch, *played, "--out", folder / "whole.wav")
            whole, last = wavfile.read(folder / "whole.wav")[1], wavfile.read(files[-1])[1]
            self.assertGreater(np.abs(last).max(), 0.01)
            shared = len(last)  # a render goes on to its last echo
            self.assertGreaterEqual(len(whole), shared)
            self.assertTrue(np.array_equal(whole[:shared], last))
            for wrong in (("--patch", folder / "none.json"), ("--patch", patch, "--audio", "/dev/null/x")):
                done = run("build", reference, "--notes", notes, *wrong)
                self.assertEqual(done.returncode, 1, done.stdout)
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)

    def write_project(self):
        """A project of two cues as docs/formats.md describes it, written without Facet."""
        path = self.path / "piece.facet"
        database = sqlite3.connect(path)
        database.execute(f"PRAGMA application_id = {0x46436574}")
        database.execute("PRAGMA user_version = 1")
        database.execute("CREATE TABLE about (key TEXT PRIMARY KEY, value TEXT NOT NULL)")
        database.execute("CREATE TABLE audio (key TEXT PRIMARY KEY, bytes BLOB NOT NULL)")
        cues = []
        for number, (name, key, place) in enumerate([("airlock", 33, 2.0), ("touchdown", 31, 6.0)], 1):
            database.execute("INSERT INTO audio VALUES (?, ?)", (name, (DEMO / f"{name}.flac").read_bytes()))
            seconds = json.loads((DEMO / f"{name}.json").read_text())["seconds"]
            cues.append({
                "id": number, "name": name, "loop": [0, 0], "locks": [], "takes": [],
                "patch": json.loads((FIXTURES / "falling-tom.json").read_text()),
                "in_piece": {"heard": True, "level_db": 0.0, "take": 0},
                "excerpts": [{
                    "id": 10 + number, "source": "", "source_hash": "", "begin": 0.0, "end": seconds, "audio": name,
                    "place": place, "corrections": [],
                    "performance": {"format": "facet-performance", "version": 1,
                                    "notes": [{"start": 0.0, "end": 0.5, "key": key, "cents": 0.0, "velocity": 100.0}]},
                }]})
        head = {"project": "0123456789abcdef", "name": "Two", "active": 1, "next_id": 99, "order": [1, 2]}
        for key, value in (("generation", "1"), ("document", json.dumps({"head": head, "cues": cues}))):
            database.execute("INSERT INTO about VALUES (?, ?)", (key, value))
        database.commit()
        database.close()
        return path

    def test_piece_writes_all_cues_at_their_places(self):
        project = self.write_project()
        out = self.path / "piece.wav"
        done = run("piece", project, "-o", out, "--references")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertTrue(done.stdout.startswith("8.40 s, peak"), done.stdout)  # 6 s and the 2.4 s of the second
        warnings.simplefilter("ignore", wavfile.WavFileWarning)  # of its fact chunk
        rate, sound = wavfile.read(out)
        self.assertEqual((rate, sound.ndim), (48000, 2))
        self.assertEqual(np.abs(sound[: 2 * rate]).max(), 0.0)
        self.assertGreater(np.abs(sound[2 * rate: 3 * rate]).max(), 0.05)
        self.assertEqual(np.abs(sound[int(5.01 * rate): 6 * rate - 100]).max(), 0.0)
        self.assertEqual(run("piece", project, "-o", self.path / "renders.wav").returncode, 0)
        _, renders = wavfile.read(self.path / "renders.wav")
        self.assertGreater(np.abs(renders[6 * rate: 7 * rate]).max(), 0.02)
        for wrong in (self.path / "none.facet", DEMO / "airlock.flac"):
            done = run("piece", wrong, "-o", self.path / "never.wav")
            self.assertEqual((done.returncode, done.stderr.count("\n")), (1, 1), done.stderr)
            self.assertFalse((self.path / "never.wav").exists())

    def test_changes_and_stages_read_patches(self):
        with tempfile.TemporaryDirectory() as name:
            folder = pathlib.Path(name)
            base = {"format": "facet-patch", "version": 1, "name": "A", "modules": {}}
            (folder / "a.json").write_text(json.dumps(base))
            base["modules"] = {"layer:a/source:a": {"octave": -1}, "saturation:a": {"on": True, "drive": 12}}
            (folder / "b.json").write_text(json.dumps(base))
            lines = run("changes", folder / "a.json", folder / "b.json").stdout.splitlines()
            self.assertEqual(lines, ["Source 1 octave: 0 oct → −1 oct", "Saturation: added"])
            self.assertEqual(run("changes", folder / "a.json", folder / "a.json").stdout, "")
            lines = run("stages", folder / "b.json", "--notes", DEMO / "airlock.mid").stdout.splitlines()
            self.assertEqual(len(lines), 1)
            self.assertRegex(lines[0], r"^saturation:a: arrives with peaks of -?\d+\.\d dB.*partial 2: -?\d+, 3: -?\d+")

    def test_params_lists_every_address(self):
        lines = run("params").stdout.splitlines()
        self.assertTrue(any(line.startswith("layer:a/filter:a/cutoff") and "20 Hz to 20 kHz" in line for line in lines))
        schema = json.loads(run("params", "--json").stdout)
        self.assertEqual(schema["$defs"]["filter"]["properties"]["cutoff"]["maximum"], 20000)


if __name__ == "__main__":
    unittest.main()
