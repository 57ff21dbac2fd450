"""One saw through a 24 dB low-pass with envelopes, side by side: Facet, csound's ladders, compiled faust.

    bench/peers.py build/release/bench/facet_bench

Needs csound, faust and g++ (packaging/install-packages bench). All on one core, one after the other, several rounds;
csound without its start (a short run is taken off a long one), faust compiled with everything the machine has. Prints
seconds of sound per second of computing, the best of the rounds, and ratios.
"""
import json
import pathlib
import resource
import subprocess
import sys
import tempfile

ROUNDS = 4
LONG, SHORT = 60.0, 1.0
LADDERS = ["moogvcf2 a1, kc, 0.2", "moogladder a1, kc, 0.2", "moogladder2 a1, kc, 0.2", "zdf_ladder a1, kc, 1",
           "diode_ladder a1, kc, 1"]
SCORE = """<CsoundSynthesizer>
<CsInstruments>
sr = 48000
ksmps = 16
nchnls = 1
0dbfs = 1
instr 1
  kenv expseg 1, 0.5, 0.4, 100, 0.4
  kc expseg 4000, 0.5, 200, 100, 200
  a1 vco2 0.3, 110
  a2 {ladder}
  out a2 * kenv
endin
</CsInstruments>
<CsScore>
i1 0 {seconds}
e
</CsScore>
</CsoundSynthesizer>
"""
FAUST = """import("stdfaust.lib");
level = en.adsr(0.002, 0.5, 1, 0.01, button("gate"));
cutoff = 800 * 2 ^ (3 * en.adsr(0.002, 0.5, 0, 0.01, button("gate")));
process = os.sawtooth(110) : fi.resonlp(cutoff, 0.541, 1) : fi.resonlp(cutoff, 1.307, 1) * level;
"""
HARNESS = """#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <vector>
#define FAUSTFLOAT float
struct Meta { void declare(const char*, const char*) {} };
struct UI {
    FAUSTFLOAT* gate = nullptr;
    void openVerticalBox(const char*) {}
    void closeBox() {}
    void addButton(const char*, FAUSTFLOAT* zone) { gate = zone; }
};
struct dsp {
    virtual ~dsp() {}
};
#include "voice.h"
int main() {
    Voice voice;
    voice.init(48000);
    UI ui;
    voice.buildUserInterface(&ui);
    *ui.gate = 1;
    std::vector<float> out(64);
    float* channels[1] = {out.data()};
    double best = 1e9;
    float sum = 0;
    for (int round = 0; round < 4; ++round) {
        const auto begin = std::chrono::steady_clock::now();
        for (int at = 0; at < 48000 * 20; at += 64) {
            voice.compute(64, nullptr, channels);
            sum += out[5];
        }
        best = std::min(best, std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count());
    }
    std::printf("%g %g\\n", 20 / best, sum);
}
"""


def cpu_seconds(command):
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime - before.ru_utime


def csound(folder, ladder):
    best = 0.0
    for _ in range(ROUNDS):
        spent = []
        for seconds in (LONG, SHORT):
            score = folder / "voice.csd"
            score.write_text(SCORE.format(ladder=ladder, seconds=seconds))
            spent.append(cpu_seconds(["csound", "-W", "-f", "-d", "-m0", "-o", str(folder / "out.wav"), str(score)]))
        best = max(best, (LONG - SHORT) / max(1e-3, spent[0] - spent[1]))
    return best


def faust(folder):
    (folder / "voice.dsp").write_text(FAUST)
    (folder / "main.cpp").write_text(HARNESS)
    subprocess.run(["faust", "-lang", "cpp", "-cn", "Voice", "voice.dsp", "-o", "voice.h"], cwd=folder, check=True)
    subprocess.run(["g++", "-O3", "-march=native", "-ffast-math", "-w", "main.cpp", "-o", "voice"], cwd=folder, check=True)
    return float(subprocess.run([folder / "voice"], check=True, capture_output=True, text=True).stdout.split()[0])


def facet(program):
    best = {}
    for _ in range(ROUNDS):
        run = subprocess.run([program, "--benchmark_filter=render.*/sawLowPass24", "--benchmark_format=json"],
                             check=True, capture_output=True, text=True)
        for row in json.loads(run.stdout)["benchmarks"]:
            best[row["name"]] = max(best.get(row["name"], 0.0), row["xRealTime"])
    return best["renderOne/sawLowPass24"], best["renderSixteen/sawLowPass24"]


def main():
    with tempfile.TemporaryDirectory() as name:
        folder = pathlib.Path(name)
        one, sixteen = facet(sys.argv[1])
        ladders = {ladder.split()[0]: csound(folder, ladder) for ladder in LADDERS}
        compiled = faust(folder)
    fastest = max(ladders, key=ladders.get)
    print(f"Facet, one voice                {one:7.0f} x real time")
    print(f"Facet, each of 16 in lanes      {sixteen:7.0f}")
    for ladder, rate in ladders.items():
        print(f"csound, {ladder:<23} {rate:7.0f}")
    print(f"faust, compiled                 {compiled:7.0f}")
    print(f"one voice against {fastest}: {one / ladders[fastest]:.2f}; 16 in lanes against faust: {sixteen / compiled:.2f}")


if __name__ == "__main__":
    main()
