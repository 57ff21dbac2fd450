// All cues at their places in the piece, mixed for the player.
#pragma once

#include "app/session/jobs/latest_job.h"
#include "app/session/messages.h"
#include "app/session/results/result_values.h"
#include "core/piece/piece_mixer.h"
#include "core/player/player.h"
#include "core/project/document.h"

#include <QObject>
#include <functional>
#include <memory>
#include <string>

namespace facet {

/// Mixes what changed, in the background, and gives it to the player. GUI thread only.
class PieceMixing : public QObject {
    Q_OBJECT

public:
    PieceMixing(Messages& messages, QObject* parent = nullptr) : QObject(parent), messages_(messages) {}

    /// Mixes a document that is heard, unless it is what was mixed last.
    void mix(const Document& heard, Player& player);
    /// What is mixed now is not wanted any more.
    void cancel();
    /// The next mix is given anew, whatever was given before.
    void forget();
    /// Whether a mix has been given to the player.
    bool ready() const { return ready_; }
    /// The document's backing as it was given, with its picture; empty before.
    const MeasuredSound& backing(const Document& document) const;

signals:
    void given();

private:
    /// A sound for the player, made on the worker; taken once.
    using Playable = std::shared_ptr<std::unique_ptr<const PlayableSound>>;
    struct Mix {
        Playable references, renders;
        Playable behind; ///< the backing, if it is another one; null: as it was
        MeasuredSound backing;
        std::string backingKey;
    };

    Messages& messages_;
    bool ready_ = false;
    std::uint64_t mixed_ = 0; ///< hashOfPiece() of what is, or is about to be, heard
    MeasuredSound backing_;
    std::string backingKey_;
    std::unique_ptr<PieceMixer> mixer_; ///< used by the job's thread alone
    LatestJob<Mix> mixing_;
};

} // namespace facet
