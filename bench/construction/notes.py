"""Phrases of notes for sounds of known making: lines, arpeggios, chords, single notes.

A note is [start, end, key, velocity], in seconds, MIDI key and velocity 1…127. In a line for one voice a note that begins
before the one before it ends is tied to it: the voice goes on and glides.
"""

MINOR = [0, 2, 3, 5, 7, 8, 10, 12]
CHORDS = {3: [[0, 3, 7], [0, 4, 7], [-5, 0, 3], [-8, 0, 5]], 4: [[0, 3, 7, 10], [0, 4, 7, 11], [-5, 0, 3, 7], [-12, 3, 7, 10]]}
BEGIN = 0.08  # seconds before the first note


def rounded(notes):
    return [[round(a, 4), round(b, 4), k, v] for a, b, k, v in notes]


def velocity(random, accent):
    return random.randint(105, 125) if accent else random.randint(48, 96)


def line(random, tempo, low, count, share=0.8, tied=0.0, grid=0.5):
    """`count` notes on a grid of quarter notes times `grid`; `share` of the time to the next sounds; `tied`: of how many."""
    quarter = 60.0 / tempo
    notes, at, key = [], BEGIN, low + random.choice([0, 3, 7])
    for i in range(count):
        steps = random.choice([1, 1, 1, 2, 2, 3] if grid < 1.0 else [1, 1, 2])
        length = steps * grid * quarter
        over = i + 1 < count and random.random() < tied
        notes.append([at, at + (length + 0.03 if over else length * share * random.uniform(0.8, 1.1)), key,
                      velocity(random, i == 0 or random.random() < 0.35)])
        at += length
        moved = [low + s + o for s in MINOR for o in (0, 12) if low + s + o != key and abs(low + s + o - key) <= 9]
        key = random.choice(moved)
    return rounded(notes)


def arpeggio(random, tempo, low, count, share=0.7, grid=0.25):
    quarter = 60.0 / tempo
    chord = random.choice(CHORDS[3])
    up = [low + c + 12 * o for o in (0, 1) for c in chord]
    order = random.choice([up, up[::-1], up + up[-2:0:-1], random.sample(up, len(up))])
    return rounded([[BEGIN + i * grid * quarter, BEGIN + (i + share) * grid * quarter, order[i % len(order)],
                     velocity(random, i % 4 == 0)] for i in range(count)])


def chords(random, tempo, low, count, size=3, share=0.9, beats=2.0):
    quarter = 60.0 / tempo
    notes, at, root = [], BEGIN, low
    for _ in range(count):
        shape = random.choice(CHORDS[size])
        loud = random.randint(60, 118)
        for tone in shape:
            notes.append([at, at + beats * quarter * share, root + tone, max(1, min(127, loud + random.randint(-8, 8)))])
        at += beats * quarter
        root = low + random.choice([-5, -4, -2, 0, 3, 5])
    return rounded(notes)


def held(random, key, seconds, loud=100):
    return rounded([[BEGIN, BEGIN + seconds, key, loud]])


def seconds_of(notes):
    return max(n[1] for n in notes)


def tied_groups(notes):
    """Of a line for one voice: lists of notes that one stroke begins."""
    groups = []
    for note in notes:
        if groups and note[0] < groups[-1][-1][1] - 1e-6:
            groups[-1].append(note)
        else:
            groups.append([note])
    return groups
