// What follows from the document: the sounds of the active cue, their pictures, profiles and comparison.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/results/measuring.h"
#include "app/session/results/result_values.h"

#include <QObject>
#include <functional>
#include <map>
#include <memory>

namespace facet {

/// Brings results up to date in the background whenever the document has settled. A result whose inputs are no longer
/// the document's is dropped. GUI thread only.
class ResultsController : public QObject {
    Q_OBJECT

public:
    /// `playersRate`: Hz, at which the reference is to be played.
    ResultsController(DocumentStore& document, std::function<int()> playersRate, QObject* parent = nullptr);

    const CueResults& state() const { return state_; }
    /// Whether anything is being loaded, rendered or compared.
    bool busy() const { return loading_.busy() || comparing_.busy(); }
    /// Likeness of the cue as it stands, while it is known.
    std::optional<double> currentLikeness() const;
    /// The phrase in view with the reference's profile, if that is known.
    std::optional<ComparedPhrase> comparedPhrase() const;

    /// Identify what an excerpt's profile, and its render and likeness, follow from.
    static std::uint64_t profileKeyOf(const Cue& cue, const Excerpt& excerpt);
    static std::uint64_t renderKeyOf(const Cue& cue, const Excerpt& excerpt);
    /// Null: not measured yet.
    ProfilePtr profileOf(std::uint64_t profileKey) const;

    /// Starts what has become outdated. Call after the document has changed.
    void refresh();
    /// Loads and renders everything again, for a player that has heard nothing yet.
    void reload();
    /// Spectrograms are made while somebody looks at them.
    void wantSpectrograms(bool wanted, bool difference = false);

    /// Shows a render of another patch, which a search has found, until the next refresh.
    void preview(const MeasuredSound& render);
    /// Back to the document's own patch, if another one is shown.
    void endPreview();

signals:
    void changed();
    /// There is nothing to hear any more, or not yet.
    void sidesGone();
    /// A reference was loaded; `atPlayersRate` is its sound.
    void referenceShown(const RecordingPtr& atPlayersRate);
    /// The reference is the one that is shown already; how it is heard may have changed.
    void referenceKept();
    void renderShown();
    /// The comparison is up to date.
    void compared();

private:
    struct LoadedReference {
        MeasuredSound sound;
        RecordingPtr atPlayersRate;
        std::vector<std::string> warnings;
    };
    /// A render, at first alone, then with everything that is measured of it.
    struct ComparedRender {
        MeasuredSound render;
        ProfilePtr reference;
        std::shared_ptr<const Comparison> comparison;
    };
    struct Pictures {
        MeasuredSound sound;            ///< one with its new spectrogram, or:
        SpectrogramPtr lacking, excess; ///< the difference …
        RecordingPtr differenceOf;      ///< … with this render
    };
    struct OtherLikeness {
        ProfilePtr reference;
        double likeness;
    };

    void loadReference(const Cue& cue, const Excerpt& excerpt);
    void showReference(const LoadedReference& loaded);
    void showRender(const MeasuredSound& render);
    void compareRender(const Cue& cue, const Excerpt& excerpt);
    void showCompared(std::uint64_t key, std::uint64_t profileKey, const ComparedRender& compared);
    /// Brings the likeness of the whole cue up to date: the excerpt in view is compared, the others follow one by one.
    void compareOthers();
    void averageLikeness(const Cue& cue, const std::map<std::uint64_t, double>& known);
    void measureFloor();
    void makePictures();
    void showPictures(const Pictures& pictures);

    DocumentStore& document_;
    std::function<int()> playersRate_;
    CueResults state_;
    RecordingPtr shownAudio_;        ///< what state_.reference is, or is about to be, of
    std::uint64_t referenceKey_ = 0; ///< profileKeyOf() what state_.reference belongs to
    std::uint64_t renderKey_ = 0;    ///< renderKeyOf() the patch that is rendered and compared; 0: nothing
    bool previewing_ = false;        ///< state_.render is another one's than the patch's
    std::map<std::uint64_t, ProfilePtr> profiles_; ///< of references, by profile key
    std::map<std::uint64_t, double> likenesses_;   ///< of excerpts, by render key
    bool spectrogramsWanted_ = false;
    bool differenceWanted_ = false;

    LatestJob<LoadedReference> loading_;
    LatestJob<ComparedRender> comparing_;
    LatestJob<OtherLikeness> others_;
    LatestJob<Pictures> picturing_;
    LatestJob<double> flooring_;
};

} // namespace facet
