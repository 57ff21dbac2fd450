#!/usr/bin/python3
"""Trains the network that tells elements from the summary of a sound (core/prior).

Usage: bench/prior/train.py EXAMPLES… --size N --out FILE [--epochs N] [--check NAMES SUMMARIES REFERENCES]
(needs python3-torch; with libopenblas0-pthread it takes minutes, without it hours)

EXAMPLES are files of prior_examples, which prints N; FILE is what core/prior/element_network.bin holds. --check says how well
the elements of references of known making are named, and switches off what is not told better than by chance there: NAMES and
SUMMARIES as bench/prior/summaries leaves them, REFERENCES the folder with their ID.json. Equal examples and seed give equal
weights on one machine.
"""
import argparse
import json
import pathlib
import re
import struct

import numpy as np
import torch

HERE = pathlib.Path(__file__).resolve().parent
WORDS = re.findall(r'"([^"]+)"', re.search(r"elementWords = .*?\}\);", (HERE.parent.parent / "core/parameters/elements.cpp").read_text(), re.S).group(0))
HIDDEN = (320, 160)
SAME = {"folded": "folding"}


def read(paths, size):
    rows = [np.fromfile(p, dtype=np.uint8).reshape(-1, 2 * size + len(WORDS)) for p in paths]
    raw = np.concatenate(rows)
    return raw[:, :2 * size].copy().view(np.float16), raw[:, 2 * size:]


class Network(torch.nn.Module):
    def __init__(self, size):
        super().__init__()
        self.a = torch.nn.Linear(size, HIDDEN[0])
        self.b = torch.nn.Linear(HIDDEN[0], HIDDEN[1])
        self.c = torch.nn.Linear(HIDDEN[1], len(WORDS))

    def forward(self, x, drop=0.0):
        h = torch.nn.functional.dropout(torch.relu(self.a(x)), drop, self.training)
        h = torch.nn.functional.dropout(torch.relu(self.b(h)), drop, self.training)
        return self.c(h)


def train(x, y, epochs, seed=1):
    """`x` in half precision; the last twentieth is held back. Returns network, mean, deviation."""
    torch.manual_seed(seed)
    held = len(x) // 20
    mean = x[:20000].astype(np.float32).mean(0)
    deviation = np.maximum(0.05, x[:20000].astype(np.float32).std(0))
    inputs, targets = torch.from_numpy(x), torch.from_numpy(y)
    m, d = torch.from_numpy(mean), torch.from_numpy(deviation)
    scaled = lambda part: ((part.float() - m) / d).clamp(-5, 5)
    network = Network(x.shape[1])
    optimizer = torch.optim.AdamW(network.parameters(), lr=1e-3, weight_decay=0.02)
    batch, count = 512, len(x) - held
    steps = epochs * (count // batch)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimizer, 2e-3, total_steps=steps)
    step = 0
    for epoch in range(epochs):
        network.train()
        order = torch.randperm(count)
        total = 0.0
        for i in range(count // batch):
            rows = order[i * batch:(i + 1) * batch]
            part = scaled(inputs[rows])
            # Recordings of other instruments measure a little otherwise: no single measurement may decide.
            part = (part + 0.15 * torch.randn_like(part)) * (torch.rand_like(part) > 0.1)
            loss = torch.nn.functional.binary_cross_entropy_with_logits(network(part, 0.2), targets[rows].float())
            optimizer.zero_grad()
            loss.backward()
            optimizer.step()
            schedule.step()
            total += loss.item()
            step += 1
        network.eval()
        with torch.no_grad():
            out = network(scaled(inputs[count:]))
            test = torch.nn.functional.binary_cross_entropy_with_logits(out, targets[count:].float()).item()
        print(f"epoch {epoch + 1}: training {total / (count // batch):.4f}, held back {test:.4f}", flush=True)
    return network, mean, deviation, (torch.sigmoid(out).numpy(), y[count:])


def ranking(scores, there):
    """The share of pairs, one with and one without an element, that are told apart (area under the operating curve)."""
    order = np.argsort(scores)
    ranks = np.empty(len(scores))
    ranks[order] = np.arange(1, len(scores) + 1)
    n = there.sum()
    return (ranks[there].sum() - n * (n + 1) / 2) / (n * (len(scores) - n)) if 0 < n < len(scores) else float("nan")


def quantized(weights):
    """Rows of whole numbers −127 … 127 and a scale for each row."""
    scale = np.maximum(1e-8, np.abs(weights).max(1)) / 127.0
    return np.round(weights / scale[:, None]).astype(np.int8), scale.astype(np.float32)


def save(path, network, mean, deviation):
    """Sizes, means, deviations, then each layer: scales, biases, whole-number weights by rows."""
    layers = [network.a, network.b, network.c]
    with open(path, "wb") as out:
        out.write(struct.pack("<4i", len(mean), *HIDDEN, len(WORDS)))
        out.write(mean.astype("<f4").tobytes() + deviation.astype("<f4").tobytes())
        for layer in layers:
            whole, scale = quantized(layer.weight.detach().numpy())
            out.write(scale.astype("<f4").tobytes() + layer.bias.detach().numpy().astype("<f4").tobytes() + whole.tobytes())


def check(network, mean, deviation, names, summaries, references):
    """Says how well elements are told, and returns those that are not."""
    x = np.fromfile(summaries, dtype=np.float16).astype(np.float32).reshape(len(names), -1)
    with torch.no_grad():
        p = torch.sigmoid(network(torch.from_numpy(np.clip((x - mean) / deviation, -5, 5)).float())).numpy()
    there = np.zeros(p.shape, dtype=bool)
    for i, name in enumerate(names):
        for each in json.loads((references / f"{name}.json").read_text())["elements"]:
            change = each.get("change_db")
            if not change or max(change) >= 0.4:
                there[i, WORDS.index(SAME.get(each["element"], each["element"]))] = True
    for e, word in enumerate(WORDS):
        if there[:, e].any():
            print(f"{word:20} {there[:, e].sum():3} of {len(names)}: told apart {ranking(p[:, e], there[:, e]):.2f}, where it is {p[there[:, e], e].mean():.2f}, "
                  f"where not {p[~there[:, e], e].mean():.2f}{'' if told(p[:, e], there[:, e]) else ', switched off'}")
    edges = [0.0, 0.05, 0.15, 0.35, 0.65, 0.85, 1.0]
    for low, high in zip(edges, edges[1:]):
        within = (p >= low) & (p < high)
        if within.any():
            print(f"said {low:.2f} … {high:.2f}: {within.sum()} times, true {there[within].mean():.2f}, said on average {p[within].mean():.2f}")
    return [e for e in range(len(WORDS)) if not told(p[:, e], there[:, e])]


def told(scores, there):
    """Whether an element is told better than by chance on sounds of another program; where it is too rare there, nobody knows."""
    return there.sum() < 3 or ranking(scores, there) >= 0.6


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("examples", nargs="+")
    parser.add_argument("--size", type=int, required=True, help="numbers of a summary, as prior_examples prints it")
    parser.add_argument("--out", required=True)
    parser.add_argument("--epochs", type=int, default=12)
    parser.add_argument("--check", nargs=3, metavar=("NAMES", "SUMMARIES", "REFERENCES"))
    args = parser.parse_args()
    x, y = read(args.examples, args.size)
    print(f"{len(x)} sounds")
    network, mean, deviation, (p, there) = train(x, y, args.epochs)
    print("drawn sounds held back, told apart:", ", ".join(f"{w} {ranking(p[:, e], there[:, e] > 0):.2f}" for e, w in enumerate(WORDS) if there[:, e].any()))
    unknown = [e for e in range(len(WORDS)) if not y[:, e].any()]  # no drawn sound has them
    if args.check:
        names = pathlib.Path(args.check[0]).read_text().split()
        unknown += check(network, mean, deviation, names, args.check[1], pathlib.Path(args.check[2]))
    with torch.no_grad():
        for e in unknown:  # odds of one: it says nothing
            network.c.weight[e] = 0.0
            network.c.bias[e] = 0.0
    save(args.out, network, mean, deviation)


if __name__ == "__main__":
    main()
