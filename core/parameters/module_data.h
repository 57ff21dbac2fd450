// What a module holds besides numbers: the ends of a link, drawn shapes, tables and recordings.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace facet {

/// Partials of a harmonic table.
inline constexpr int tablePartials = 64;
/// Most frames of a wavetable.
inline constexpr int mostTableFrames = 256;
/// Samples of one frame of a wavetable.
inline constexpr int tableFrameSamples = 2048;
/// Most samples of a sample: 60 s at 48 kHz.
inline constexpr int mostSampleFrames = 60 * 48000;
/// Most breakpoints of a drawn shape.
inline constexpr std::size_t mostShapePoints = 1024;
/// Longest impulse response, in seconds.
inline constexpr double longestResponseSeconds = 1.0;

/// A breakpoint of a drawn shape: place in the cycle and value, both 0…1. Straight lines between points.
struct ShapePoint {
    double place = 0.0;
    double value = 0.0;
    friend bool operator==(const ShapePoint&, const ShapePoint&) = default;
};

/// A value type. Empty members are absent.
struct ModuleData {
    /// Of a link: what moves (see modulationSources()), and the address of what is moved.
    std::string from;
    std::string to;
    /// Of a link: what scales the amount besides; may be empty.
    std::string by;
    /// Of a macro: what people call it.
    std::string label;
    /// Of a macro: number of the MIDI controller that turns it, 1 … 119; 0: none.
    int controller = 0;
    /// Of an LFO: points in order of place; the shape repeats.
    std::vector<ShapePoint> shape;
    /// Of a source: levels in dB of the first partials re full scale (≤ 0; −120: absent), at most tablePartials.
    std::vector<double> partialsDb;
    /// Of a source: cycles of a wavetable, each of tableFrameSamples values in −1…1, one after the other.
    std::vector<float> frames;
    /// Of a source: a mono recording; of a response: an impulse response. Its rate, and the key at which it plays at
    /// its own pitch.
    std::vector<float> sample;
    int sampleRateHz = 48000;
    double sampleKey = 60.0;

    bool empty() const { return *this == ModuleData{}; }
    friend bool operator==(const ModuleData&, const ModuleData&) = default;
    std::uint64_t hash() const;
};

} // namespace facet
