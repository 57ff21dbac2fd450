// sheet: a patch as a page for people.
#include "cli/commands.h"
#include "cli/input.h"
#include "core/analysis/profile.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/parameters/patch_json.h"
#include "core/recipe/sheet.h"
#include "core/recipe/sheet_file.h"

#ifdef FACET_PDF
#    include "app/print/pdf.h"
#endif
#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <memory>

namespace facet::cli {

namespace fs = std::filesystem;

namespace {

bool isKnownKind(const std::string& kind) {
#ifdef FACET_PDF
    if (kind == ".pdf") return true;
#endif
    return kind == ".html" || kind == ".md" || kind == ".txt";
}

void writePage(const fs::path& out, const Page& page, const Patch& patch) {
    const std::string kind = out.extension().string();
#ifdef FACET_PDF
    if (kind == ".pdf") {
        writePdf(out, page, patchToJson(patch));
        return;
    }
#endif
    writeWholeFile(out, kind == ".html" ? pageHtml(page, patchToJson(patch))
                        : kind == ".md" ? pageMarkdown(page)
                                        : pageText(page));
}

} // namespace

void addSheet(CLI::App& app) {
    struct Options : Listening {
        std::string patch, out, without, name;
        std::vector<std::string> others;
        int threads = hardwareThreads();
        bool silent = false, progress = false;
    };
    const auto options = std::make_shared<Options>();
    auto* command =
        app.add_subcommand("sheet", "Write a patch as a page for people: rounded settings, what matters, the build");
    command->add_option("PATCH", options->patch, "Patch file, or a sheet that holds one")->required();
    command->add_option("--reference", options->reference,
                        "The recording it rebuilds; without, it is told by its own sound");
    options->addTo(*command);
    command->add_option("--out", options->out, "The page to write: .pdf, .html, .md or .txt")->required();
    command->add_option("--name", options->name, "What the sound is called; the patch's name when not given");
    command->add_option("--other", options->others, "Another patch for the recording, told where it is made otherwise")
        ->allow_extra_args(false);
    command->add_option("--without", options->without, "Facets set aside, for example space,width");
    command->add_flag("--silent", options->silent, "No sounds in the page");
    command->add_flag("--progress", options->progress, "What is being done, on stderr");
    command->add_option("--threads", options->threads, "Threads to use")->check(CLI::Range(1, 256));
    command->callback([options] {
        const fs::path out = options->out;
        const std::string kind = out.extension().string();
        if (!isKnownKind(kind))
            throw Error(fmt::format("“{}” is no kind of page; name it .pdf, .html, .md or .txt.", options->out));
        SheetSubject subject;
        subject.patch = readPatchOrSheet(options->patch);
        subject.name = !options->name.empty()        ? options->name
                       : !subject.patch.name.empty() ? subject.patch.name
                                                     : fs::path(options->patch).stem().string();
        subject.weights = weightsWithout(options->without);
        subject.sounds = !options->silent && kind == ".html";
        for (const std::string& each : options->others)
            subject.others.push_back({fs::path(each).stem().string(), readPatchOrSheet(each)});
        if (!options->reference.empty()) {
            const Heard heard = hear(*options);
            if (!heard.problem.empty()) fmt::print(stderr, "{}\n", heard.problem);
            subject.targets.push_back(moveTargetOf(heard, options->threads));
        }
        const StopOnSignal signals;
        Task task{.stop = signals.token(), .progress = {}};
        if (options->progress)
            task.progress = [](double done, std::string_view what) {
                fmt::print(stderr, "{:3.0f} %  {}\n", 100.0 * done, what);
            };
        const Sheet sheet = sheetOf(subject, options->threads, task);
        const Page page = pageOfSheet(sheet);
        writePage(out, page, sheet.recipe.patch);
        fmt::print("{:.1f} alike, in rounded values {:.1f}; {} values of {} are set.\n", sheet.recipe.exact,
                   sheet.recipe.likeness, valuesIn(sheet.recipe),
                   valuesIn(sheet.recipe) + sheet.recipe.hardlyMatter.size());
    });
}

} // namespace facet::cli
