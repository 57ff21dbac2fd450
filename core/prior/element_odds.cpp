#include "core/prior/element_odds.h"

#include "core/prior/sound_summary.h"

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <vector>

// The file becomes part of the program as it is.
asm(".section .rodata\n"
    ".balign 16\n"
    "facetElementNetwork:\n"
    ".incbin \"" FACET_ELEMENT_NETWORK "\"\n"
    "facetElementNetworkEnd:\n"
    ".byte 0\n"
    ".previous\n");
extern "C" const unsigned char facetElementNetwork[], facetElementNetworkEnd[];

namespace facet {

namespace {

/// Reads what train.py wrote, from the beginning on.
class NetworkReader {
public:
    template <typename Value> std::vector<Value> read(int count) {
        std::vector<Value> values(static_cast<std::size_t>(count));
        std::memcpy(values.data(), at_, values.size() * sizeof(Value));
        at_ += values.size() * sizeof(Value);
        return values;
    }
    bool atEnd() const { return at_ == facetElementNetworkEnd; }

private:
    const unsigned char* at_ = facetElementNetwork;
};

struct NetworkLayer {
    Eigen::MatrixXf weights;
    Eigen::VectorXf biases;
};

struct Network {
    Eigen::ArrayXf means, deviations;
    std::vector<NetworkLayer> layers;
    bool fits = false; ///< to the summary and the elements of this program

    Network() {
        NetworkReader reader;
        const auto sizes = reader.read<std::int32_t>(4);
        const auto vector = [&](int size) {
            const std::vector<float> values = reader.read<float>(size);
            return Eigen::VectorXf(Eigen::Map<const Eigen::VectorXf>(values.data(), size));
        };
        means = vector(sizes[0]).array();
        deviations = vector(sizes[0]).array();
        for (std::size_t l = 0; l + 1 < sizes.size(); ++l) {
            const Eigen::VectorXf scales = vector(sizes[l + 1]);
            NetworkLayer layer{{}, vector(sizes[l + 1])};
            const auto whole = reader.read<std::int8_t>(sizes[l] * sizes[l + 1]);
            using Rows = Eigen::Matrix<std::int8_t, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
            layer.weights =
                scales.asDiagonal() * Eigen::Map<const Rows>(whole.data(), sizes[l + 1], sizes[l]).cast<float>();
            layers.push_back(std::move(layer));
        }
        fits = sizes[0] == summarySize() && sizes[3] == elementCount && reader.atEnd();
    }
};

} // namespace

double ElementOdds::probabilityOf(Element element) const { return 1.0 / (1.0 + std::exp(-of(element))); }

ElementOdds elementOdds(const Recording& sound48k, const Performance& performance) {
    static const Network network;
    if (performance.notes.empty() || !network.fits) return {};
    constexpr float most = 5.0f; // deviations, as in training
    const std::vector<float> summary = soundSummary(sound48k, performance);
    Eigen::VectorXf values =
        Eigen::Map<const Eigen::VectorXf>(summary.data(), static_cast<Eigen::Index>(summary.size()));
    values = ((values.array() - network.means) / network.deviations).max(-most).min(most);
    for (const NetworkLayer& layer : network.layers) {
        values = layer.weights * values + layer.biases;
        if (&layer != &network.layers.back()) values = values.cwiseMax(0.0f);
    }
    std::array<float, elementCount> logarithms{};
    std::copy(values.begin(), values.end(), logarithms.begin());
    return ElementOdds(logarithms);
}

} // namespace facet
