"""The search on sounds that Facet did not make: every second reference of the evaluation at a fixed number of renders, and what is
no note at all. Whether what it finds is good, bench/evaluation tells; here, that it always ends with something usable."""
import concurrent.futures
import json
import os
import pathlib
import statistics
import subprocess
import sys
import tempfile
import time
import unittest
import warnings

import numpy as np
from scipy.io import wavfile

sys.dont_write_bytecode = True
CLI = os.environ["FACET_CLI"]
SOURCE = pathlib.Path(os.environ["FACET_SOURCE"])
sys.path.insert(0, str(SOURCE / "bench/evaluation"))
import references  # noqa: E402

RATE = 48000
RENDERS = 60
RENDERED = ("--evaluations", 160, "--seconds", 0)  # as many on a slow machine as on a fast one


def match(reference, out, *options):
    return subprocess.run([CLI, "match", str(reference), "--out", str(out), "--threads", "1", *map(str, options)],
                          capture_output=True, text=True, timeout=300)


class SearchReferences(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.temporary = tempfile.TemporaryDirectory()
        cls.folder = pathlib.Path(cls.temporary.name)
        os.environ["XDG_CACHE_HOME"] = str(cls.folder / "cache")  # no bank: equal renders on every machine

    @classmethod
    def tearDownClass(cls):
        cls.temporary.cleanup()

    def report(self, name):
        return json.loads((self.folder / name / "report.json").read_text())

    def assertSounds(self, name):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of chunks that are no sound
            _, render = wavfile.read(self.folder / name / "render.wav")
        self.assertTrue(np.isfinite(render).all() and np.abs(render).max() > 1e-3, name)

    def test_every_reference_comes_nearer_at_a_fixed_number_of_renders(self):
        names = (references.ids("tuning") + references.ids("final")[:16])[::2]
        self.assertEqual(len(names), 20)
        references.make(self.folder, names)
        with concurrent.futures.ThreadPoolExecutor(2) as pool:
            done = list(pool.map(lambda n: match(self.folder / f"{n}.flac", self.folder / n, "--evaluations", RENDERS,
                                                 "--seconds", 0), names))
        gains = []
        for name, result in zip(names, done):
            self.assertEqual(result.returncode, 0, (name, result.stderr))
            report = self.report(name)
            self.assertLessEqual(report["evaluations"], RENDERS, name)
            self.assertTrue(report["structure"], name)
            # The mean over several seeds may be a little above what the search saw of the one.
            self.assertLessEqual(report["loss_db"]["after"], 1.15 * report["loss_db"]["before"] + 0.2, name)
            gains.append(1.0 - report["loss_db"]["after"] / report["loss_db"]["before"])
            self.assertSounds(name)
        # Sixty renders do no more than compare kinds of sound; by those alone half of the way was covered when written.
        self.assertGreater(statistics.median(gains), 0.35, gains)

    def hit(self, seconds, sound):
        return np.pad(sound, (0, max(0, int(seconds * RATE) - len(sound))))[:int(seconds * RATE)]

    def write(self, name, samples):
        path = self.folder / f"{name}.wav"
        wavfile.write(path, RATE, (np.clip(samples, -1, 1) * 32767).astype(np.int16))
        return path

    def usable(self, name, reference, *options):
        """A match that ends well, of which the patch sounds; what it printed."""
        done = match(reference, self.folder / name, *options)
        self.assertEqual(done.returncode, 0, (name, done.stderr))
        self.assertSounds(name)
        return done

    def test_what_is_no_note_gets_an_answer(self):
        random = np.random.default_rng(1)
        silent = match(self.write("silence", np.zeros(2 * RATE)), self.folder / "s", "--seconds", 2)
        self.assertEqual((silent.returncode, silent.stdout), (1, ""))
        self.assertRegex(silent.stderr, r"^“silence.wav” is silent; .*\.\n$")

        noise = self.usable("noise", self.write("hiss", 0.3 * random.standard_normal(2 * RATE)), *RENDERED)
        self.assertIn("no single clear pitch", noise.stderr.lower())
        self.assertIn("noise", self.report("noise")["structure"])

        t = np.arange(RATE // 3) / RATE
        drums = np.zeros(0)
        for k in range(6):
            low = 0.8 * np.sin(2 * np.pi * (50 * t + 1.0 - np.exp(-30 * t))) * np.exp(-12 * t)
            drums = np.append(drums, self.hit(0.5, low + 0.4 * (k % 2) * random.standard_normal(len(t)) * np.exp(-18 * t)))
        loop = self.usable("loop", self.write("drums", drums), *RENDERED)
        self.assertRegex(loop.stdout + loop.stderr, "stays unlike|notes")

        script = self.folder / "speech.praat"
        script.write_text('synthesizer = Create SpeechSynthesizer: "English (Great Britain)", "Female1"\n'
                          'To Sound: "This is a sentence that nobody sings.", "no"\n'
                          f'Save as WAV file: "{self.folder}/speech.wav"\n')
        subprocess.run(["praat", "--run", str(script)], check=True, capture_output=True, timeout=60)
        spoken = self.usable("spoken", self.folder / "speech.wav", *RENDERED)
        self.assertIn("stays unlike", spoken.stdout)

    def test_a_long_recording_is_searched_by_what_tells_most_of_it(self):
        t = np.arange(RATE) / RATE
        note = 0.5 * sum(np.sin(2 * np.pi * 220 * k * t) / k for k in range(1, 9)) * np.exp(-3 * t)
        long = self.write("long", np.tile(note, 75))
        begin = time.monotonic()
        self.usable("l", long, "--seconds", 6)
        self.assertLess(time.monotonic() - begin, 60)  # a hang, not a speed: reading and finding notes comes first
        report = self.report("l")
        self.assertGreater(report["likeness"]["after"], report["likeness"]["before"])

    def test_no_budget_gives_what_measurements_say(self):
        for name, options in (("t", ("--seconds", 0.001)), ("e", ("--seconds", 0, "--evaluations", 1))):
            self.usable(name, SOURCE / "demo/airlock.flac", *options)
            report = self.report(name)
            self.assertFalse(report["complete"])
            self.assertLess(report["loss_db"]["after"], report["loss_db"]["before"], name)

    def test_locks_that_leave_nothing_to_sound_are_told(self):
        start = self.folder / "off.json"
        start.write_text(json.dumps({"format": "facet-patch", "version": 1,
                                     "modules": {"layer:a/source:a": {"on": False}}}))
        locks = [word for letter in "abcd" for word in ("--lock", f"layer:a/source:{letter}/on")]
        done = match(SOURCE / "demo/airlock.flac", self.folder / "locked", "--seconds", 3, "--start", start, *locks[:4])
        self.assertEqual((done.returncode, done.stdout), (1, ""), done.stderr)
        self.assertRegex(done.stderr.strip(), r"^The locks leave nothing that sounds; .*\.$")


if __name__ == "__main__":
    unittest.main()
