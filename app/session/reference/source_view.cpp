#include "app/session/reference/source_view.h"

#include <algorithm>
#include <filesystem>

namespace facet {

namespace {

constexpr double longestDetail = 60.0; // seconds

QString sentenceOf(const std::exception_ptr& failure) {
    try {
        std::rethrow_exception(failure);
    } catch (const std::exception& problem) {
        return QString::fromUtf8(problem.what());
    }
}

} // namespace

SourceView::SourceView(QObject* parent) : QObject(parent) {}

void SourceView::clear() {
    overviews_.cancel();
    details_.cancel();
    path_.clear();
    kept_.reset();
    overview_.reset();
    detail_ = {};
    problem_.clear();
    emit changed();
}

void SourceView::show(const std::string& path, const std::shared_ptr<const Excerpt>& fallback) {
    std::error_code code;
    const bool there = !path.empty() && std::filesystem::exists(path, code);
    if (!there && !fallback) {
        if (!path_.empty() || kept_) clear();
        return;
    }
    const std::string key = there ? path : "kept " + fallback->audioKey;
    if (key == path_) return;
    clear();
    path_ = key;
    if (!there) {
        kept_ = fallback;
        begin_ = fallback->keptBegin;
    } else {
        begin_ = 0.0;
    }
    overviews_.request({[path, kept = kept_](const Task& task, const auto& publish) {
                            AudioStream stream = kept ? AudioStream(*kept->bytes, kept->name) : AudioStream(path);
                            makeOverview(stream, publish, task);
                        },
                        [this](const OverviewPtr& picture) {
                            overview_ = picture;
                            emit changed();
                        },
                        [this](const std::exception_ptr& failure) {
                            logFailure(failure);
                            problem_ = sentenceOf(failure);
                            emit changed();
                        }});
}

SourceView::Reader SourceView::reader() const {
    return [path = path_, kept = kept_, offset = begin_](double begin, double end) {
        AudioStream stream = kept ? AudioStream(*kept->bytes, kept->name) : AudioStream(path);
        const auto first = static_cast<std::int64_t>(std::max(0.0, begin - offset) * stream.rateHz());
        const auto last = static_cast<std::int64_t>(std::max(0.0, end - offset) * stream.rateHz());
        return stream.read(first, last - first);
    };
}

void SourceView::wantDetail(double begin, double end) {
    begin = std::max(begin, begin_);
    end = std::min(end, this->end());
    if (!overview_ || end <= begin || end - begin > longestDetail) return;
    if (begin >= wantedBegin_ && end <= wantedEnd_ && detail_.recording) return;
    // Half a view more on either side, so that scrolling finds it there.
    const double margin = std::min(0.5 * (end - begin), 0.5 * (longestDetail - (end - begin)));
    wantedBegin_ = std::max(begin_, begin - margin);
    wantedEnd_ = std::min(this->end(), end + margin);
    details_.request(
        [from = wantedBegin_, to = wantedEnd_, read = reader()](const Task& task) {
            SourceDetail detail;
            detail.begin = from;
            detail.recording = std::make_shared<const Recording>(read(from, to));
            detail.peaks = std::make_shared<const Peaks>(*detail.recording);
            detail.spectrogram = std::make_shared<const Spectrogram>(measureSpectrogram(*detail.recording, task));
            return detail;
        },
        [this](const SourceDetail& detail) {
            detail_ = detail;
            emit changed();
        }); // what fails leaves the overview
}

} // namespace facet

#include "moc_source_view.cpp"
