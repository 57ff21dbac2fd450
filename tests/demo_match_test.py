"""The main job on real audio: facet-cli match on the demo cues against the figures Facet promises.

By evaluations rather than seconds, so that a busy machine gives the same patch. The figures come from
bench/external_measure.py, which shares no code with Facet. Decays are judged to 20 %, attacks to 15 %, 3 ms or half a
period, whichever is most.
"""
import json
import os
import pathlib
import subprocess
import tempfile
import unittest

CLI = os.environ["FACET_CLI"]
SOURCE = pathlib.Path(os.environ["FACET_SOURCE"])


class DemoMatch(unittest.TestCase):
    def measure(self, name, truth, notes=None):
        with tempfile.TemporaryDirectory() as folder:
            words = [CLI, "match", SOURCE / f"demo/{name}.flac", "--out", folder, "--seed", 1, "--evaluations", 2200, "--seconds", 0]
            if notes:
                words += ["--notes", SOURCE / notes]
            subprocess.run([str(w) for w in words], check=True, stdout=subprocess.DEVNULL, timeout=600)
            out = subprocess.run([str(SOURCE / "bench/external_measure.py"), str(SOURCE / f"demo/{truth}.json"),
                                  str(SOURCE / f"demo/{name}.flac"), folder], check=True, capture_output=True, text=True).stdout
            print(name, out.strip())
            return json.loads(out)

    def judge(self, name, half_period_ms):
        figures = self.measure(name, name)
        self.assertGreaterEqual(figures["mel_gap"], 0.85)
        self.assertLessEqual(figures["d_db"], 3.0)
        self.assertGreaterEqual(figures["strong_gap"], 0.5)
        self.assertLessEqual(figures["f0_cents"], 2.0)
        self.assertLessEqual(figures["cutoff_octaves"]["median"], 0.25)
        attack, true_attack = figures["attack_ms"]
        self.assertLessEqual(abs(attack - true_attack), max(0.15 * true_attack, 3.0, half_period_ms))
        decay, true_decay = figures["decay_63_ms"]
        self.assertLessEqual(abs(decay - true_decay), 0.2 * true_decay)

    def test_airlock(self):
        self.judge("airlock", 500 / 65.4)  # half a period of its highest note

    def test_comet_tail(self):
        self.judge("comet-tail", 500 / 784)

    def test_comet_tail_with_echoes(self):
        figures = self.measure("comet-tail-echoes", "comet-tail-echoes", "demo/comet-tail-echoes.mid")
        self.assertGreaterEqual(figures["mel_gap"], 0.8)
        self.assertGreaterEqual(figures["strong_gap"], 0.5)
        self.assertLessEqual(figures["f0_cents"], 2.0)
        self.assertLessEqual(figures["envelope_db"], 1.5)


if __name__ == "__main__":
    unittest.main()
