// What is read off single modules of the patch: levels at stages, parameters that nobody hears.
#pragma once

#include "app/session/document/document_store.h"
#include "app/session/jobs/latest_job.h"
#include "core/engine/inspect/stage.h"

#include <QObject>
#include <QString>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>

namespace facet {

/// Read in the background when asked for; a reading stands until the next edit. GUI thread only.
class ModuleReadings : public QObject {
    Q_OBJECT

public:
    explicit ModuleReadings(DocumentStore& document, QObject* parent = nullptr);

    /// Reads what arrives at a module for which dependsOnLevel(), and what it does to it; stageRead() signals it.
    void wantStage(const std::string& path);
    /// Null: nothing read yet, or of another patch.
    const StageReading* stage(const std::string& path) const;

    /// Finds out which parameters of a module make no difference in this phrase; unheardFound() signals it.
    void wantUnheard(const std::string& path);
    /// Null: not found out yet.
    const std::set<Address>* unheard(const std::string& path) const;

signals:
    void stageRead(const QString& path);
    void unheardFound(const QString& path);

private:
    void forget();

    DocumentStore& document_;
    std::map<std::string, StageReading> stages_;
    std::set<std::string> stagesWanted_; ///< being read
    std::string unheardOf_;              ///< the module that is, or was, looked at
    std::optional<std::set<Address>> unheard_;
    LatestJob<std::pair<std::string, StageReading>> staging_;
    LatestJob<std::set<Address>> probing_;
};

} // namespace facet
