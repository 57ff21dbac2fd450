// Edits of the piece: its backing, and where its cues stand.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "core/project/backing.h"

#include <QObject>
#include <filesystem>
#include <memory>

namespace facet {

/// Each edit is one step of undo. GUI thread only.
class PieceEditor : public QObject {
    Q_OBJECT

public:
    PieceEditor(DocumentStore& document, Messages& messages, QObject* parent = nullptr)
        : QObject(parent), document_(document), messages_(messages) {}

    /// Reads a file that plays along with all cues, in the background. A problem is reported.
    void importBacking(const std::filesystem::path& path);
    void removeBacking();
    /// dB.
    void setBackingLevel(double db);
    void setPart(std::uint64_t cueId, const PiecePart& part);
    /// Puts an excerpt at a place in the piece, seconds.
    void placeExcerpt(std::uint64_t cueId, std::uint64_t excerptId, double seconds);

    bool busy() const { return imports_.busy(); }

private:
    DocumentStore& document_;
    Messages& messages_;
    LatestJob<std::shared_ptr<const Backing>> imports_;
};

} // namespace facet
