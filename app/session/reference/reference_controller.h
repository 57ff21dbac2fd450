// The recordings of a cue: opened, cut into excerpts, weighted, parts left out.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "app/session/reference/source_view.h"

#include <QObject>
#include <filesystem>
#include <functional>
#include <memory>

namespace facet {

/// Which part of a recording is heard; comparison and search always take the whole.
enum class HeardPart { all, tonal, struck };

/// Files are read and excerpts made in the background; what comes of it is one step of undo. A problem is reported. GUI
/// thread only.
class ReferenceController : public QObject {
    Q_OBJECT

public:
    ReferenceController(DocumentStore& document, Messages& messages, QObject* parent = nullptr)
        : QObject(parent), document_(document), messages_(messages) {}

    /// Opens an audio file. A short one takes the place of the excerpt in view (or becomes the first), notes found; of
    /// a long one the producer chooses excerpts, see partsWanted(). More than two channels: channelsWanted() asks
    /// which.
    void importReference(const std::filesystem::path& path, const ChannelChoice& channels = {});
    /// The looped part of the excerpt in view becomes that excerpt.
    void useSelectionAsReference();
    /// A part of the open source, seconds, becomes a further excerpt of the cue.
    void addExcerpt(double begin, double end, const ChannelChoice& channels = {});
    /// A file becomes a further excerpt of the cue, all of it.
    void addExcerptFile(const std::filesystem::path& path);
    /// Sound that comes from no file becomes a further excerpt.
    void addExcerptSound(const Recording& recording, const QString& name);
    /// A part of the excerpt in view, with its notes, becomes a further excerpt.
    void addPartAsExcerpt(HeardPart heard);
    void moveExcerpt(std::uint64_t id, double begin, double end);
    void setExcerptChannels(std::uint64_t id, const ChannelChoice& channels);
    /// 0 … 1.
    void setExcerptWeight(std::uint64_t id, double weight);
    void renameExcerpt(std::uint64_t id, const QString& name);
    void removeExcerpt(std::uint64_t id);
    /// A part of the excerpt in view is neither compared nor searched, or is again.
    void leaveOut(double begin, double end, bool out);

    SourceView& source() { return source_; }
    /// Somebody looks at the source: makes its picture.
    void wantSource();

    bool busy() const { return imports_.busy(); }

signals:
    /// A file has more than two channels: ask which, then import it again.
    void channelsWanted(const QString& path, int count);
    /// A file too long to be one excerpt was opened: its parts are to be chosen.
    void partsWanted();
    /// What was being read or made has come to its end, well or not.
    void finished();

private:
    enum class Place { inView, further };
    /// Makes an excerpt and finds its notes, then puts it into the active cue.
    void prepareExcerpt(const QString& what, Place place, std::function<Excerpt()> make);
    void put(std::uint64_t cueId, const QString& what, Place place, const Excerpt& excerpt);
    /// Makes an excerpt anew from itself; its notes stay where they are in the source.
    void remakeExcerpt(const QString& what, std::uint64_t id, std::function<Excerpt(const Excerpt&)> make);

    DocumentStore& document_;
    Messages& messages_;
    SourceView source_;
    LatestJob<std::shared_ptr<const Excerpt>> imports_;
};

} // namespace facet
