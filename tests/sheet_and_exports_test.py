"""Sheets and exports, read by programs that know nothing of Facet: pdftotext and pdfdetach, an XML parser and a browser, fluidsynth, and a reader of the published SFZ opcodes."""
import html.parser
import json
import os
import pathlib
import re
import resource
import shutil
import signal
import struct
import subprocess
import tempfile
import unittest
import xml.etree.ElementTree

import numpy as np
from scipy.io import wavfile

CLI = os.environ["FACET_CLI"]
DEMO = pathlib.Path(os.environ["FACET_SOURCE"]) / "demo"
RATE = 48000


def run(*words):
    return subprocess.run([CLI, *map(str, words)], capture_output=True, text=True, timeout=500)


def ran(*words):
    done = run(*words)
    assert done.returncode == 0, (words, done.stderr)
    return done.stdout


def write_patch(path, modules):
    path.write_text(json.dumps({"format": "facet-patch", "version": 1, "name": path.stem, "modules": modules}))


def write_note(path, key, velocity, seconds):
    """A Standard MIDI File of one note: 480 ticks a quarter at 120 a minute."""
    def variable(number):
        data = [number & 127]
        while number := number >> 7:
            data.insert(0, number & 127 | 128)
        return bytes(data)

    events = variable(0) + bytes([0x90, key, velocity]) + variable(round(seconds * 960)) + bytes([0x80, key, 0])
    events += variable(1440) + b"\xff\x2f\x00"
    path.write_bytes(b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(events)) + events)


def controllers_of(path):
    """Text events and control changes of the last track of a Standard MIDI File: RP-001, "MTrk events"."""
    data = path.read_bytes()
    at = data.rindex(b"MTrk") + 8

    def variable():
        nonlocal at
        number = 0
        while True:
            byte = data[at]
            at += 1
            number = number << 7 | byte & 127
            if byte < 128:
                return number

    texts, turns, status = [], [], 0
    while at < len(data):
        variable()
        if data[at] == 0xFF:
            kind = data[at + 1]
            at += 2
            length = variable()
            if kind == 1:
                texts.append(data[at : at + length].decode())
            at += length
            continue
        if data[at] >= 128:
            status = data[at]
            at += 1
        if status & 0xF0 == 0xB0:
            turns.append((data[at], data[at + 1]))
        at += 1 if status & 0xF0 in (0xC0, 0xD0) else 2
    return texts, turns


def read(path):
    """Samples in ±1 by channel, of WAV or FLAC."""
    if path.suffix == ".flac":
        wav = path.with_suffix(".decoded.wav")
        subprocess.run(["flac", "-s", "-f", "-d", str(path), "-o", str(wav)], check=True)
        path = wav
    rate, sound = wavfile.read(path)
    assert rate == RATE, rate
    scale = {"int16": 2.0**15, "int32": 2.0**31}.get(str(sound.dtype), 1.0)
    return sound.astype(float) / scale


def part(sound, begin, end):
    return sound[round(begin * RATE): round(end * RATE)]


def level(sound):
    return 10.0 * np.log10(np.mean(sound**2) + 1e-20)


def pitch(sound, near):
    """Frequency of the strongest line near one: the spectrum's peak, by a parabola through three points."""
    mono = sound.mean(axis=1)
    spectrum = np.log(np.abs(np.fft.rfft(mono * np.hanning(len(mono)), 4 * len(mono))) + 1e-12)
    hertz = RATE / (4 * len(mono))
    low, high = int(0.95 * near / hertz), int(1.05 * near / hertz)
    top = low + int(np.argmax(spectrum[low:high]))
    a, b, c = spectrum[top - 1: top + 2]
    return (top + 0.5 * (a - c) / (a - 2 * b + c)) * hertz


class Sfz:
    """Regions with what the headings above them say; https://sfzformat.com/headers (as published)."""

    def __init__(self, path):
        self.folder, self.regions = path.parent, []
        control, shared, values = {}, {}, {}
        for line in path.read_text().splitlines():
            line = line.split("//")[0]
            for heading, words in re.findall(r"<(\w+)>([^<]*)|(?:^)([^<]+)$", line) and self.pieces(line):
                if heading:
                    values = {"control": control, "global": shared}.get(heading)
                    if heading == "region":
                        values = dict(shared)
                        self.regions.append(values)
                values.update(re.findall(r"(\w+)=(\S+)", words))
        for region in self.regions:
            region["file"] = self.folder / (control.get("default_path", "") + region["sample"])

    @staticmethod
    def pieces(line):
        found = re.findall(r"(?:<(\w+)>)?([^<]*)", line)
        return [(heading, words) for heading, words in found if heading or words.strip()]


def sustained(sound, loop, seconds):
    """What a sampler plays while a key is held: the loop again and again."""
    begin, end = loop
    out = [sound[:end]]
    while sum(map(len, out)) < seconds * RATE:
        out.append(sound[begin:end])
    return np.concatenate(out)


def click(sound, at):
    """The sharpest bend near a place against the sharpest elsewhere around it."""
    bends = np.abs(np.diff(sound, n=2, axis=0)).max(axis=1)
    here = bends[at - 40: at + 40].max()
    around = max(bends[at - 8000: at - 200].max(), bends[at + 200: at + 8000].max())
    return here / (around + 1e-9)


BASS = {"layer:a/source:a": {"phase_random": 0},
        "layer:a/filter:a": {"on": True, "cutoff": 700.0},
        "layer:a/envelope:level": {"attack": 4.0, "decay": 300.0, "sustain": 60.0, "release": 180.0}}
PLUCK = {"layer:a/envelope:level": {"decay": 600.0, "sustain": 0.0, "release": 60.0}}
ENSEMBLE = {"layer:a/source:a": {"voices": 5, "detune": 12.0, "spread": 80.0},
            "layer:a/envelope:level": {"attack": 60.0, "release": 500.0}}


class Exports(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.path = pathlib.Path(self.folder.name)

    def tearDown(self):
        self.folder.cleanup()

    def patch(self, modules, name="sound"):
        path = self.path / f"{name}.json"
        write_patch(path, modules)
        return path

    def own(self, patch, key, seconds):
        write_note(self.path / "n.mid", key, 127, seconds)
        ran("render", patch, "--notes", self.path / "n.mid", "--out", self.path / "own.wav", "--rate", RATE)
        return read(self.path / "own.wav")

    def test_a_soundfont_plays_as_the_patch_does(self):
        patch = self.patch(BASS)
        ran("export", patch, "--as", "sf2", "--out", self.path / "s.sf2", "--keys", "36:60", "--every", 12)
        offsets = []
        for key in (36, 48, 60):
            seconds = 4.0  # twice as long as keys were held for it
            own = self.own(patch, key, seconds)
            subprocess.run(["fluidsynth", "-ni", "-g", "1", "-R", "0", "-C", "0", "-r", str(RATE), "-O", "s16", "-F", str(self.path / "f.wav"),
                            str(self.path / "s.sf2"), str(self.path / "n.mid")], check=True, capture_output=True)
            played = read(self.path / "f.wav")
            hertz = 440.0 * 2.0 ** ((key - 69) / 12)
            for begin, end in ((0.3, 1.8), (2.2, 3.9)):  # before, and in the loop
                cents = 1200.0 * np.log2(pitch(part(played, begin, end), hertz) / pitch(part(own, begin, end), hertz))
                self.assertLess(abs(cents), 2.0, (key, begin))
                offsets.append(level(part(played, begin, end)) - level(part(own, begin, end)))
            release = level(part(played, seconds + 0.05, seconds + 0.15)) - level(part(own, seconds + 0.05, seconds + 0.15))
            self.assertLess(abs(release - offsets[-1]), 7.0, f"the release of key {key}: a line in decibels in place of a curve")
            self.assertLess(level(part(played, seconds + 0.6, seconds + 0.8)), level(part(played, 1.0, 1.8)) - 50.0)
        # The bank is as loud as it can be, so one gain lies between all of them.
        self.assertLess(max(offsets) - min(offsets), 1.0, offsets)

    def test_sfz_regions_cover_the_keys_and_loops_are_seamless(self):
        for modules, name, loops in ((BASS, "bass", True), (ENSEMBLE, "ensemble", True), (PLUCK, "pluck", False)):
            patch = self.patch(modules, name)
            ran("export", patch, "--as", "sfz", "--out", self.path / name, "--keys", "40:64", "--every", 6, "--velocities", "60,127")
            sfz = Sfz(self.path / name / f"{name}.sfz")
            covered = np.zeros((128, 128), int)
            tails = {each["sample"]: each for each in sfz.regions if each.get("trigger") == "release"}
            for region in sfz.regions:
                if region.get("trigger") == "release":
                    continue
                covered[int(region["lokey"]): int(region["hikey"]) + 1, int(region["lovel"]): int(region["hivel"]) + 1] += 1
                sound = read(region["file"])
                self.assertTrue(int(region["lokey"]) <= int(region["pitch_keycenter"]) <= int(region["hikey"]))
                self.assertEqual(region["loop_mode"], "loop_continuous" if loops else "no_loop", name)
                if not loops:
                    continue
                loop = int(region["loop_start"]), int(region["loop_end"]) + 1
                self.assertLess(0.05 * RATE, loop[1] - loop[0])
                self.assertLessEqual(loop[1], len(sound))
                held = sustained(sound, loop, 6.0)
                for seam in range(loop[1], len(held) - 8000, loop[1] - loop[0]):
                    self.assertLess(click(held, seam), 1.6, (name, region["sample"], seam))
                # It goes on as loud as it came in; voices that beat do so within the loop.
                self.assertLess(abs(level(part(held, 3.0, 6.0)) - level(part(held, 1.0, 2.0))), 3.0 if name == "ensemble" else 0.5, name)
                tail = tails[region["sample"].replace(".flac", "-release.flac")]
                self.assertEqual({key: tail[key] for key in ("lokey", "hikey", "lovel", "hivel")}, {key: region[key] for key in ("lokey", "hikey", "lovel", "hivel")})
                rest = read(tail["file"])
                self.assertLess(abs(level(rest[1000:2000]) - level(sound[-2000:])), 9.0)
                self.assertLess(level(rest[-480:]), level(sound[-2000:]) - 50.0, "it dies away")
            self.assertTrue((covered[40:65, 1:] == 1).all(), name)
            self.assertEqual(covered.sum(), 25 * 127)

    def test_a_wavetable_is_its_cycles(self):
        ran("export", self.patch({"layer:a/source:a": {"wave": "pulse", "width": 25.0}}), "--as", "wavetable", "--out", self.path / "w.wav")
        table = read(self.path / "w.wav")
        self.assertEqual(table.shape, (2048,))
        spectrum = np.abs(np.fft.rfft(table))
        # Partial n of a pulse of width d is as strong as |sin(πnd)| / n (any handbook of Fourier series).
        expected = np.abs(np.sin(np.pi * np.arange(1, 12) * 0.25)) / np.arange(1, 12)
        self.assertTrue(np.allclose(spectrum[1:12] / spectrum[1], expected / expected[0], atol=0.02), spectrum[1:12] / spectrum[1])

    def test_a_phrase_is_written_whole_dry_by_layer_and_by_note(self):
        patch, out = self.path / "two.json", self.path / "phrase"
        write_patch(patch, {"layer:b/source:a": {"octave": 1}, "layer:b": {"level": -6}, "delay:a": {"on": True, "time": 400, "mix": 40}})
        write_note(self.path / "n.mid", 57, 100, 0.4)
        ran("export", patch, "--as", "phrase", "--notes", self.path / "n.mid", "--each-note", "--out", out)
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["layer 1.flac", "layer 2.flac", "note 01 A3.flac", "phrase dry.flac", "phrase.flac"])
        whole, dry, first, second = (read(out / f"{name}.flac") for name in ("phrase", "phrase dry", "layer 1", "layer 2"))
        at = int(0.9 * RATE)  # only the echo is left
        self.assertGreater(level(whole[at : at + 4800]) - level(dry[at : at + 4800]), 30.0)
        np.testing.assert_allclose(first + second, whole, atol=1e-3, err_msg="no effect here depends on level")
        self.assertEqual(run("export", patch, "--as", "phrase", "--out", out).returncode, 1, "never over what is there")

    def test_all_that_belongs_to_a_sound_is_one_folder(self):
        patch, out = self.path / "swept.json", self.path / "all"
        write_patch(patch, {"layer:a/filter:a": {"on": True, "cutoff": 400}, "macro:a": {"label": "Brighter", "controller": 74},
                            "link:a": {"from": "macro:a", "to": "layer:a/filter:a/cutoff", "amount": 30}})
        played = {"format": "facet-performance", "version": 1, "notes": [{"start": 0.1, "end": 1.0, "key": 45}], "render": {"frames": RATE * 2, "rate_hz": RATE},
                  "curves": {"layer:a/filter:a/cutoff": [[0.2, 0.25], [0.8, 0.75]], "macro:a/value": [[0.0, 0.0], [1.0, 1.0]]}}
        (self.path / "p.json").write_text(json.dumps(played))
        ran("export", patch, "--as", "bundle", "--performance", self.path / "p.json", "--out", out)
        self.assertEqual(sorted(p.name for p in out.iterdir()),
                         ["notes.json", "notes.mid", "patch.json", "phrase dry.wav", "phrase.wav", "sheet.html", "sheet.md", "sheet.txt"])
        texts, turns = controllers_of(out / "notes.mid")
        self.assertEqual(len(texts), 2, texts)
        self.assertTrue(any(t.startswith("Controller 20: Filter cutoff, 20 Hz to") for t in texts), texts)
        self.assertTrue(any(t.startswith("Controller 74: Brighter") for t in texts), texts)
        cutoff = [value for number, value in turns if number == 20]
        self.assertEqual((cutoff[0], cutoff[-1]), (32, 95), "places on the parameter's scale")
        self.assertEqual(cutoff, sorted(cutoff))
        macro = [value for number, value in turns if number == 74]
        self.assertEqual((macro[0], macro[-1]), (0, 127))
        self.assertEqual(run("export", patch, "--as", "bundle", "--out", out).returncode, 1, "never over what is there")

    def test_a_full_disk_leaves_nothing_half_written(self):
        def full():  # files end at 40 kB, as on a disk with no more room
            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (40000, 40000))

        patch = self.path / "p.json"
        write_patch(patch, {})
        before = sorted(self.path.iterdir())
        for kind, name in (("phrase", "out"), ("bundle", "out"), ("sfz", "out"), ("sf2", "out.sf2"), ("wavetable", "/nowhere/w.wav")):
            done = subprocess.run([CLI, "export", str(patch), "--as", kind, "--keys", "60:62", "--out", str(self.path / name)], capture_output=True,
                                  text=True, timeout=500, preexec_fn=full)
            self.assertEqual(done.returncode, 1, (kind, done.stdout, done.stderr))
            self.assertEqual(len(done.stderr.strip().splitlines()), 1, (kind, done.stderr))
            self.assertEqual(sorted(self.path.iterdir()), before, kind)

    def test_bad_ranges_get_one_sentence_and_leave_nothing(self):
        patch = self.patch(BASS)
        silent = self.patch({"layer:a/source:a": {"on": False}}, "silent")
        out = self.path / "x"
        for words in ((patch, "--keys", "60:140"), (patch, "--velocities", "90,40"), (patch, "--velocities", "loud"), (silent,), (self.path / "none.json",)):
            done = run("export", *words, "--as", "sfz", "--out", out)
            self.assertEqual(done.returncode, 1, done.stdout)
            self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
            self.assertFalse(out.exists())
        out.mkdir()
        (out / "own.txt").write_text("mine")
        self.assertEqual(run("export", patch, "--as", "sfz", "--out", out, "--keys", "60:61").returncode, 1)
        self.assertEqual([each.name for each in out.iterdir()], ["own.txt"])
        self.assertEqual(run("export", patch, "--as", "sf2", "--out", "/dev/null/x.sf2", "--keys", "60:61").returncode, 1)
        self.assertEqual(sorted(each.name for each in self.path.iterdir()), ["silent.json", "sound.json", "x"])


class Sheets(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.path = pathlib.Path(cls.folder.name)
        write_patch(cls.path / "bass.json", {
            "layer:a/filter:a": {"on": True, "cutoff": 167.3, "envelope": 40.27},
            "layer:a/envelope:filter": {"attack": 0.0, "decay": 1312.9},
            "layer:a/envelope:level": {"attack": 6.51, "decay": 383.4, "sustain": 54.6, "release": 92.7}})
        cls.words = ("sheet", cls.path / "bass.json", "--reference", DEMO / "airlock.flac", "--notes", DEMO / "airlock.mid")
        cls.said = ran(*cls.words, "--out", cls.path / "s.html", "--name", "Airlock <1>")

    @classmethod
    def tearDownClass(cls):
        cls.folder.cleanup()

    def test_html_is_one_file_that_holds_the_patch(self):
        self.assertRegex(self.said, r"^[\d.]+ alike, in rounded values [\d.]+; \d+ values of \d+ are set")
        text = (self.path / "s.html").read_text()

        class Reader(html.parser.HTMLParser):
            tags, svg, sounds = [], 0, 0

            def handle_starttag(reader, tag, attributes):
                values = dict(attributes)
                reader.svg += tag == "svg"
                if tag == "audio":
                    self.assertTrue(values["src"].startswith("data:audio/flac;base64,ZkxhQ"))  # fLaC
                    reader.sounds += 1
                for name in ("src", "href"):
                    self.assertFalse(values.get(name, "").startswith("http"))

        reader = Reader()
        reader.feed(text)
        self.assertGreaterEqual(reader.svg, 4)
        self.assertGreaterEqual(reader.sounds, 4)
        for picture in re.findall(r"<svg .*?</svg>", text, re.S):
            xml.etree.ElementTree.fromstring(picture)
        ran("render", self.path / "s.html", "--notes", DEMO / "airlock.mid", "--out", self.path / "again.wav")
        patch = json.loads(re.search(r'id="facet-patch">\n(.*?)\n</script>', text, re.S).group(1))
        (self.path / "inside.json").write_text(json.dumps(patch))
        ran("render", self.path / "inside.json", "--notes", DEMO / "airlock.mid", "--out", self.path / "inside.wav")
        self.assertEqual((self.path / "again.wav").read_bytes(), (self.path / "inside.wav").read_bytes())

    @unittest.skipUnless(shutil.which("chromium"), "no browser is installed")
    def test_a_browser_plays_its_sounds(self):
        page = (self.path / "s.html").read_text().replace("</body>", """<script>
addEventListener("load", async () => {
  const all = [...document.querySelectorAll("audio")];
  const ready = await Promise.all(all.map(a => new Promise(done => {
    a.onloadedmetadata = () => done(a.duration); a.onerror = () => done(0); a.preload = "auto"; a.load(); })));
  document.title = "played " + ready.map(s => s.toFixed(1)).join(" ");
});</script></body>""")
        (self.path / "played.html").write_text(page)
        shown = subprocess.run(["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage", f"--user-data-dir={self.path}/profile", "--virtual-time-budget=20000",
                                "--dump-dom", (self.path / "played.html").as_uri()], capture_output=True, text=True, timeout=120).stdout
        seconds = re.search(r"<title>played ([\d. ]+)</title>", shown)
        self.assertTrue(seconds, shown[:300])
        for each in seconds.group(1).split():
            self.assertGreater(float(each), 2.0)

    def test_pdf_is_read_by_others(self):
        done = run(*self.words, "--out", self.path / "s.pdf", "--name", "Airlock")
        if "no kind of page" in done.stderr:
            self.skipTest("built without the window")
        self.assertEqual(done.returncode, 0, done.stderr)
        text = subprocess.run(["pdftotext", "-layout", str(self.path / "s.pdf"), "-"], capture_output=True, text=True, check=True).stdout
        for said in ("Airlock", "What matters most", "Filter cutoff", "Step by step", "Worth playing"):
            self.assertIn(said, text)
        listed = subprocess.run(["pdfdetach", "-list", str(self.path / "s.pdf")], capture_output=True, text=True, check=True).stdout
        self.assertIn("patch.json", listed)
        ran("render", self.path / "s.pdf", "--notes", DEMO / "airlock.mid", "--out", self.path / "p.wav")

    def test_text_alone_and_without_a_recording(self):
        ran("sheet", self.path / "bass.json", "--out", self.path / "own.txt")
        text = (self.path / "own.txt").read_text()
        self.assertIn("In the rounded values below it sounds", text)
        self.assertIn("Filter cutoff", text)
        for number in re.findall(r"  +(−?[\d.]+) (?:Hz|kHz|ms|s|dB|st|ct|%)", text):
            self.assertLessEqual(len(number.replace(".", "").lstrip("−0").rstrip("0") if "." not in number else number.replace(".", "").lstrip("−0")), 3, number)

    def test_an_instrument_is_described_and_told(self):
        described = pathlib.Path(os.environ["FACET_SOURCE"]) / "instruments"
        listed = ran("instruments", *sorted(described.glob("*.json")))
        self.assertEqual(len(re.findall(r"controls\. Invented", listed)), 3, listed)
        ran("sheet", self.path / "bass.json", "--instrument", described / "plain.json", "--out", self.path / "on.txt")
        text = (self.path / "on.txt").read_text()
        self.assertIn("On Fieldstone", text)
        self.assertRegex(text, r"  Cutoff +\d\.\d of 10 +\d+ Hz\n")
        wrong = self.path / "wrong.json"
        wrong.write_text((described / "plain.json").read_text().replace('"logarithmic"', '"wavy"'))
        done = run("instruments", wrong)
        self.assertEqual(done.returncode, 1)
        self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)

    def test_a_match_keeps_to_an_instrument(self):
        described = pathlib.Path(os.environ["FACET_SOURCE"]) / "instruments" / "plain.json"
        said = ran("match", DEMO / "airlock.flac", "--notes", DEMO / "airlock.mid", "--instrument", described, "--seconds", "0", "--evaluations", "200",
                   "--out", self.path / "within")
        self.assertRegex(said, r"On Fieldstone:\n(  .+\n)+")
        report = json.loads((self.path / "within" / "report.json").read_text())
        controls = {each["name"]: each for each in json.loads(described.read_text())["controls"]}
        self.assertEqual(set(report["settings"]), set(controls))
        for name, setting in report["settings"].items():
            if "choices" in controls[name]:
                self.assertIn(setting, controls[name]["choices"])
            else:
                scale = controls[name]["scale"]
                first, last = scale["positions"] if "positions" in scale else (scale["points"][0][0], scale["points"][-1][0])
                self.assertTrue(first <= setting <= last, (name, setting))
        self.assertEqual(run("match", DEMO / "airlock.flac", "--instrument", DEMO / "airlock.mid", "--out", self.path / "within").returncode, 1)

    def test_bad_input_gets_one_sentence(self):
        for words in (("sheet", self.path / "bass.json", "--out", self.path / "x.doc"),
                      ("sheet", self.path / "none.json", "--out", self.path / "x.txt"),
                      ("sheet", DEMO / "airlock.flac", "--out", self.path / "x.txt"),
                      ("sheet", self.path / "bass.json", "--out", "/dev/null/x.txt")):
            done = run(*words)
            self.assertEqual(done.returncode, 1, (words, done.stdout))
            self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)

    def test_macros_are_listed_and_taken(self):
        listed = ran("macros", self.path / "bass.json", "--notes", DEMO / "airlock.mid")
        self.assertRegex(listed, r"^1\. \w+ \(.+\): ")
        ran("macros", self.path / "bass.json", "--notes", DEMO / "airlock.mid", "--take", "1", "--out", self.path / "m.json")
        modules = json.loads((self.path / "m.json").read_text())["modules"]
        self.assertIn("macro:a", modules)
        self.assertEqual(run("macros", self.path / "bass.json", "--take", "9", "--out", self.path / "m.json").returncode, 1)


if __name__ == "__main__":
    unittest.main()
