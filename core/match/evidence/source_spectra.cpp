#include "core/match/evidence/source_spectra.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <fmt/format.h>
#include <numbers>

namespace facet {

namespace source_spectra {

constexpr double pi = std::numbers::pi;
constexpr double ofMoving = 0.3, ofRare = 0.2, ofPartials = 0.9; // dB

/// Amplitude of partial n of a wave of peak 1.
double partialOf(Wave wave, double width, int n) {
    switch (wave) {
    case Wave::saw: return 2.0 / (pi * n);
    case Wave::pulse: return 4.0 / (pi * n) * std::abs(std::sin(pi * n * width / 100.0));
    case Wave::triangle: return n % 2 == 1 ? 8.0 / (pi * pi * n * n) : 0.0;
    default: return n == 1 ? 1.0 : 0.0;
    }
}

/// Adds the power of a wave that plays at a half multiple of the pitch.
void add(LinePower& power, Wave wave, double width, int half, double gain) {
    for (int n = 1; n * half <= lineCount; ++n) {
        const double amplitude = gain * partialOf(wave, width, n);
        power[static_cast<std::size_t>(n * half - 1)] += amplitude * amplitude;
    }
}

/// sin(2π t + index · sin(2π ratio t + φ)), for ratios that are multiples of a half: side bands at 1 ± n · ratio (J. M.
/// Chowning, "The synthesis of complex audio spectra by means of frequency modulation", J. Audio Eng. Soc. 21(7),
/// 1973). Those below zero fall onto others by phases that differ from note to note where oscillators run freely: on
/// average their powers add.
LinePower modulated(double ratio, double index) {
    LinePower power{};
    const int step = static_cast<int>(std::lround(2.0 * ratio));
    for (int n = -40; n <= 40; ++n) {
        const int half = std::abs(2 + n * step);
        if (half == 0 || half > lineCount) continue;
        const double amplitude = std::cyl_bessel_j(static_cast<double>(std::abs(n)), index);
        power[static_cast<std::size_t>(half - 1)] += amplitude * amplitude;
    }
    return power;
}

/// A sine that moves its own phase: 2 J_n(nβ) / (nβ), a saw as far as a corner that β sets (for β up to 1; N.
/// Tomisawa's feedback, as in the literature on it: Kepler's equation).
LinePower fedBack(double beta) {
    LinePower power{};
    for (int n = 1; 2 * n <= lineCount; ++n) {
        const double amplitude = 2.0 * std::cyl_bessel_j(static_cast<double>(n), n * beta) / (n * beta);
        power[static_cast<std::size_t>(2 * n - 1)] = amplitude * amplitude;
    }
    return power;
}

/// A saw that the note's own cycle begins anew, see envelope_families.cpp.
LinePower synced(double semitones) {
    LinePower power{};
    const double ratio = std::exp2(semitones / 12.0);
    const int jumps = static_cast<int>(std::ceil(ratio)) - 1;
    for (int n = 1; 2 * n <= lineCount; ++n) {
        std::complex<double> sum = ratio - jumps;
        for (int k = 1; k <= jumps; ++k) sum += std::polar(1.0, -2.0 * pi * n * k / ratio);
        const double amplitude = 2.0 * std::abs(sum) / (pi * n);
        power[static_cast<std::size_t>(2 * n - 1)] = amplitude * amplitude;
    }
    return power;
}

Wave waveOf(SourceStory::Moving moving) {
    return moving == SourceStory::Moving::width  ? Wave::pulse
           : moving == SourceStory::Moving::sync ? Wave::saw
                                                 : Wave::sine;
}

template <typename PowerAt>
SourceSpectra moving(SourceStory::Moving what, double ratio, double from, double to, int count, double cost,
                     const PowerAt& powerAt) {
    SourceSpectra spectra;
    spectra.story.moving = what;
    spectra.story.ratio = ratio;
    spectra.story.wave = waveOf(what);
    spectra.cost = cost;
    for (int i = 0; i < count; ++i) {
        const double value = from + (to - from) * i / (count - 1);
        const LinePower power = powerAt(value);
        spectra.places.push_back({value, power, inDecibels(power)});
    }
    return spectra;
}

} // namespace source_spectra

LineLevels inDecibels(const LinePower& power) {
    LineLevels levels;
    for (std::size_t i = 0; i < levels.size(); ++i)
        levels[i] = power[i] > 1e-9 ? static_cast<float>(10.0 * std::log10(power[i])) : absentDb;
    return levels;
}

SourceSpectra SourceSpectra::withSecond(Wave wave, int half, double db) const {
    SourceSpectra two = *this;
    two.story.second = true;
    two.story.secondWave = wave;
    two.story.secondHalf = half;
    two.story.secondDb = db;
    two.cost = cost + ofSecondSource + (half == 3 ? source_spectra::ofRare : 0.0);
    source_spectra::add(two.second, wave, 50.0, half, 1.0);
    const double gain = gainFromDb(db);
    for (Place& place : two.places) {
        LinePower both = place.power;
        for (std::size_t i = 0; i < both.size(); ++i) both[i] += gain * gain * two.second[i];
        place.levels = inDecibels(both);
    }
    return two;
}

SourceSpectra sourceOfPartials(std::vector<double> partialsDb) {
    SourceSpectra spectra;
    spectra.story.wave = Wave::harmonics;
    spectra.cost = source_spectra::ofPartials;
    LinePower power{};
    for (std::size_t p = 0; p < partialsDb.size(); ++p) power[2 * p + 1] = std::pow(gainFromDb(partialsDb[p]), 2.0);
    spectra.places.push_back({0.0, power, inDecibels(power)});
    spectra.story.partialsDb = std::move(partialsDb);
    return spectra;
}

SourceSpectra pulseOfAnyWidth() {
    using namespace source_spectra;
    return moving(SourceStory::Moving::width, 1.0, 4.0, 50.0, 24, ofMoving, [](double width) {
        LinePower power{};
        add(power, Wave::pulse, width, 2, 1.0);
        return power;
    });
}

std::vector<SourceSpectra> sourceStories() {
    using namespace source_spectra;
    std::vector<SourceSpectra> all;
    constexpr double narrow = 8.0; // percent
    struct First {
        Wave wave;
        double width;
    };
    std::vector<First> firsts{{Wave::saw, 50.0}, {Wave::triangle, 50.0}, {Wave::sine, 50.0}};
    for (double width : {50.0, 45.0, 40.0, 33.0, 28.0, 23.0, 18.0, 13.0, 9.0, 5.0})
        firsts.push_back({Wave::pulse, width});
    for (const First& first : firsts) {
        SourceSpectra alone;
        alone.story.wave = first.wave;
        alone.story.width = first.width;
        LinePower power{};
        add(power, first.wave, first.width, 2, 1.0);
        alone.places.push_back({0.0, power, inDecibels(power)});
        if (first.width < narrow) alone.cost = ofRare;
        all.push_back(alone);
        const bool usual =
            first.wave != Wave::pulse || first.width == 50.0 || first.width == 33.0 || first.width == 18.0;
        if (!usual) continue;
        for (int half : {1, 2, 3, 4})
            for (Wave wave : {Wave::sine, Wave::pulse, Wave::saw, Wave::triangle})
                for (double db : {-12.0, -6.0, 0.0, 6.0})
                    if (half != 2 || (wave != first.wave && wave != Wave::triangle))
                        all.push_back(alone.withSecond(wave, half, db));
    }
    // What moves, alone and with what usually lies below it.
    const auto addMoving = [&](const SourceSpectra& spectra, std::initializer_list<Wave> below) {
        all.push_back(spectra);
        for (Wave wave : below) all.push_back(spectra.withSecond(wave, 1, -6.0));
    };
    addMoving(pulseOfAnyWidth(), {Wave::sine, Wave::saw});
    for (double ratio : {0.5, 1.0, 1.5, 2.0, 3.0, 3.5, 4.0, 5.0, 7.0})
        addMoving(moving(SourceStory::Moving::index, ratio, 0.15, 6.15, 25, ofMoving + ofRare,
                         [&](double index) { return modulated(ratio, index); }),
                  {});
    addMoving(moving(SourceStory::Moving::feedback, 1.0, 0.1, 1.0, 12, ofMoving + ofRare, fedBack),
              {Wave::sine, Wave::saw});
    addMoving(moving(SourceStory::Moving::sync, 1.0, 1.0, 36.0, 36, ofMoving + ofRare, synced),
              {Wave::sine, Wave::pulse, Wave::saw});
    return all;
}

std::vector<Element> elementsOf(const SourceStory& story) {
    const auto ofWave = [](Wave wave) {
        switch (wave) {
        case Wave::saw: return Element::saw;
        case Wave::pulse: return Element::pulse;
        case Wave::triangle: return Element::triangle;
        case Wave::harmonics: return Element::partials;
        default: return Element::sine;
        }
    };
    std::vector<Element> elements;
    switch (story.moving) {
    case SourceStory::Moving::nothing: elements = {ofWave(story.wave)}; break;
    case SourceStory::Moving::width: elements = {Element::pulse, Element::movedWidth}; break;
    case SourceStory::Moving::index: elements = {Element::sine, Element::fm}; break;
    case SourceStory::Moving::feedback: elements = {Element::sine, Element::feedbackFm}; break;
    case SourceStory::Moving::sync: elements = {Element::saw, Element::sync}; break;
    }
    if (!story.second) return elements;
    elements.push_back(Element::otherSource);
    if (const Element wave = ofWave(story.secondWave); wave != elements.front()) elements.push_back(wave);
    return elements;
}

std::string wordsOf(const SourceStory& story) {
    const auto name = [](Wave wave, double width) -> std::string {
        switch (wave) {
        case Wave::saw: return "saw";
        case Wave::triangle: return "triangle";
        case Wave::harmonics: return "partials";
        case Wave::pulse: return fmt::format("pulse {:.0f} %", width);
        default: return "sine";
        }
    };
    std::string text;
    switch (story.moving) {
    case SourceStory::Moving::nothing: text = name(story.wave, story.width); break;
    case SourceStory::Moving::width: text = "pulse, width moved"; break;
    case SourceStory::Moving::index:
        text = fmt::format("sine, phase moved at {:g} times its pitch", story.ratio);
        break;
    case SourceStory::Moving::feedback: text = "sine that moves its own phase"; break;
    case SourceStory::Moving::sync: text = "synced saw"; break;
    }
    if (!story.second) return text;
    constexpr const char* where[] = {"", " an octave below", "", " a fifth above", " an octave above"};
    return text + " + " + name(story.secondWave, 50.0) + where[story.secondHalf];
}

} // namespace facet
