// What is played: notes, bends, other curves, tempo and tuning, and the extent of the rendered sound.
#pragma once

#include "core/performance/curve.h"

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace facet {

/// One note. Times in seconds from the start of the reference.
struct Note {
    double start = 0.0;
    double end = 0.0;        ///< when the key is let go, > start
    int key = 60;            ///< MIDI key number 0…127; 60 is C4, 69 is A4
    double cents = 0.0;      ///< deviation of this note from its key in the recording's tuning
    double velocity = 100.0; ///< 1…127, may be fractional
    friend bool operator==(const Note&, const Note&) = default;
};

/// What is played, as one value; times in seconds from the start of the reference.
struct Performance {
    std::vector<Note> notes;       ///< by start, then key
    std::vector<CurvePoint> bends; ///< pitch bend in cents
    std::vector<Curve> curves;     ///< at most one a target
    double tempo = 120.0;          ///< quarter notes per minute
    double downbeat = 0.0;         ///< seconds at which bar 1 begins
    int beatsPerBar = 4;           ///< quarter notes
    double tuningCents = 0.0;      ///< of the recording against A4 = 440 Hz
    int frames = 0;                ///< extent of the rendered sound at rateHz
    int rateHz = 48000;
    int channelCount = 2; ///< 1 or 2
    std::uint64_t seed = 1;

    double seconds() const { return static_cast<double>(frames) / rateHz; }
    /// Sorts notes and curves, drops empty ones.
    void normalize();
    /// Bend in cents at a time.
    double bendAt(double seconds) const;
    /// The curve that moves something; null when there is none.
    const Curve* curveOf(std::string_view target) const;
    /// Replaces the curve of its target; one without points goes.
    void setCurve(const Curve& curve);
    /// Of everything that can change how it sounds.
    std::uint64_t hash() const;
    friend bool operator==(const Performance&, const Performance&) = default;
};

/// Scientific pitch name of a key: 60 → "C4", 33 → "A1".
std::string nameOfKey(int key);

/// JSON, `"format": "facet-performance"`, version 1: exact seconds, cents and curves. Throws Error.
std::string performanceToJson(const Performance& performance);
Performance performanceFromJson(const std::string& text);
Performance readPerformance(const std::filesystem::path& path);
void writePerformance(const std::filesystem::path& path, const Performance& performance);

/// Most notes that sound at one time, touching ones not counted twice.
int mostNotesTogether(const Performance& performance);

} // namespace facet
