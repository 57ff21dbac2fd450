#include "core/project/project_file.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/project/document_json.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>
#include <set>

namespace facet {

namespace fs = std::filesystem;

namespace {

constexpr int applicationId = 0x46436574; // "FCet", by which `file` and others know it

[[noreturn]] void failAsDamaged(const fs::path& path, const std::string& detail) {
    throw Error(fmt::format("“{}” is damaged or not a Facet project; open another file or an earlier copy.",
                            path.filename().string()),
                detail);
}

std::string readText(SQLite::Database& database, const char* key) {
    SQLite::Statement query(database, "SELECT value FROM about WHERE key = ?");
    query.bind(1, key);
    return query.executeStep() ? query.getColumn(0).getString() : std::string();
}

} // namespace

LoadedProject loadProject(const fs::path& path) {
    std::error_code code;
    if (!fs::exists(path, code))
        throw Error(fmt::format("“{}” does not exist; check the name and folder.", path.string()));
    if (fs::is_directory(path, code))
        throw Error(fmt::format("“{}” is a folder; choose a project file in it.", path.string()));
    try {
        SQLite::Database database(path.string(), SQLite::OPEN_READONLY);
        if (database.execAndGet("PRAGMA application_id").getInt() != applicationId)
            failAsDamaged(path, "application_id");
        const int version = database.execAndGet("PRAGMA user_version").getInt();
        if (version > projectSchemaVersion)
            throw Error(
                fmt::format("“{}” was saved by a newer Facet; update Facet to open it.", path.filename().string()));
        if (database.execAndGet("PRAGMA integrity_check").getString() != "ok") failAsDamaged(path, "integrity_check");
        const auto audio = [&](const std::string& key) {
            SQLite::Statement query(database, "SELECT bytes FROM audio WHERE key = ?");
            query.bind(1, key);
            if (!query.executeStep()) failAsDamaged(path, "audio " + key);
            return std::make_shared<const std::string>(query.getColumn(0).getString());
        };
        LoadedProject project;
        project.generation = std::stoll(readText(database, "generation"));
        project.document = documentFromJson(readText(database, "document"), audio);
        return project;
    } catch (const SQLite::Exception& problem) {
        failAsDamaged(path, problem.what());
    } catch (const std::logic_error& problem) { // of std::stoll
        failAsDamaged(path, problem.what());
    }
}

void saveProject(const fs::path& path, const Document& document, std::int64_t generation) {
    const fs::path temporary = temporaryBeside(path);
    std::error_code code;
    fs::remove(temporary, code);
    try {
        SQLite::Database database(temporary.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        database.exec("PRAGMA journal_mode = OFF"); // the file becomes visible only when it is whole
        database.exec(
            fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};", applicationId, projectSchemaVersion));
        SQLite::Transaction transaction(database);
        database.exec("CREATE TABLE about (key TEXT PRIMARY KEY, value TEXT NOT NULL);"
                      "CREATE TABLE audio (key TEXT PRIMARY KEY, bytes BLOB NOT NULL);");
        const auto put = [&](const char* key, const std::string& value) {
            SQLite::Statement insert(database, "INSERT INTO about VALUES (?, ?)");
            insert.bind(1, key);
            insert.bind(2, value);
            insert.exec();
        };
        put("generation", std::to_string(generation));
        put("document", documentToJson(document));
        std::set<std::string> written;
        const auto putAudio = [&](const std::string& key, const std::string& bytes) {
            if (!written.insert(key).second) return;
            SQLite::Statement insert(database, "INSERT INTO audio VALUES (?, ?)");
            insert.bind(1, key);
            insert.bind(2, bytes.data(), static_cast<int>(bytes.size()));
            insert.exec();
        };
        for (const auto& cue : document.cues)
            for (const auto& excerpt : cue->excerpts) putAudio(excerpt->audioKey, *excerpt->bytes);
        if (document.backing) putAudio(document.backing->audioKey, *document.backing->bytes);
        transaction.commit();
    } catch (const SQLite::Exception& problem) {
        fs::remove(temporary, code);
        throw Error(fmt::format("“{}” cannot be saved: the folder is read-only or the disk is full; save it elsewhere.",
                                path.string()),
                    problem.what());
    }
    replaceFile(temporary, path);
}

} // namespace facet
