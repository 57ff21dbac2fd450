"""How much of the construction of sounds of known making a search finds, at a fixed number of renders. It tells when something has
broken, not how good a search is: that tells bench/construction."""
import concurrent.futures
import json
import os
import pathlib
import statistics
import subprocess
import sys
import tempfile
import unittest

sys.dont_write_bytecode = True
CLI = os.environ["FACET_CLI"]
SOURCE = pathlib.Path(os.environ["FACET_SOURCE"])
sys.path.insert(0, str(SOURCE / "bench/construction"))
import references  # noqa: E402
import score  # noqa: E402

RENDERS = 120
LEAST_F1 = 0.5  # mean over the references, which was 0.57 when this was written


class Construction(unittest.TestCase):
    def test_is_found_in_good_part(self):
        names = references.ids("tuning")[::2]  # of every style one or two
        self.assertGreaterEqual(len(names), 20)
        with tempfile.TemporaryDirectory() as temporary:
            folder = pathlib.Path(temporary)
            os.environ["XDG_CACHE_HOME"] = str(folder / "cache")  # no bank: equal renders on every machine
            references.make(folder, names, changes=False)

            def one(name):
                run = subprocess.run([CLI, "match", str(folder / f"{name}.flac"), "--notes", str(folder / f"{name}.mid"), "--out", str(folder / name),
                                      "--threads", "1", "--evaluations", str(RENDERS), "--seconds", "0"], capture_output=True, text=True, timeout=300)
                self.assertEqual(run.returncode, 0, f"{name}: {run.stderr}")
                truth = json.loads((folder / f"{name}.json").read_text())
                made = json.loads((folder / name / "report.json").read_text())["elements"]
                notes = len(truth["notes"])
                return score.score(score.true_elements(truth), score.words((e["element"] for e in made if e["cost"] >= 1.0), notes))[2]

            with concurrent.futures.ThreadPoolExecutor(2) as pool:
                found = list(pool.map(one, names))
        print(f"F1 mean {statistics.mean(found):.3f} median {statistics.median(found):.3f}")
        self.assertGreater(statistics.mean(found), LEAST_F1)


if __name__ == "__main__":
    unittest.main()
