#include "core/recipe/page.h"

#include "core/base/base64.h"
#include "core/recipe/xml_text.h"

#include <algorithm>
#include <fmt/format.h>

namespace facet {

namespace {

constexpr const char* style = R"(
:root { color-scheme: light dark; --ink: #1c1e21; --quiet: #5c6670; --line: #d4d8dc; --first: #1f5f99; --second: #b34a1e; --back: #ffffff; }
@media (prefers-color-scheme: dark) {
  :root { --ink: #e4e6e8; --quiet: #9aa4ae; --line: #3a4046; --first: #6fb1ea; --second: #f09a6c; --back: #16191c; } }
body { font: 16px/1.5 sans-serif; color: var(--ink); background: var(--back); max-width: 52rem; margin: 2rem auto; padding: 0 1rem; }
h1 { margin-bottom: .2rem; } h2 { border-bottom: 1px solid var(--line); margin-top: 2rem; } h3 { margin-bottom: .3rem; }
table { border-collapse: collapse; width: 100%; margin: .3rem 0 1rem; }
th, td { text-align: left; padding: .2rem .8rem .2rem 0; border-bottom: 1px solid var(--line); vertical-align: top; }
th { color: var(--quiet); font-weight: normal; font-size: .85rem; }
.quiet { color: var(--quiet); } .plots { display: flex; flex-wrap: wrap; gap: 1rem; }
svg text { fill: var(--quiet); } svg .title { fill: var(--ink); } svg .grid { stroke: var(--line); }
svg path.first { stroke: var(--first); } svg text.first { fill: var(--first); }
svg path.second { stroke: var(--second); } svg text.second { fill: var(--second); }
.sound { display: flex; align-items: center; gap: 1rem; margin: .3rem 0; } .sound span { min-width: 14rem; }
@media print { .sound { display: none; } h3, table { break-inside: avoid; } }
)";

constexpr std::string_view dataBegin = "<script type=\"application/json\" id=\"facet-patch\">\n";
constexpr std::string_view dataEnd = "\n</script>";

/// How many places a text takes in a column: code points.
std::size_t placesOf(const std::string& text) {
    return static_cast<std::size_t>(
        std::count_if(text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

class AsText {
public:
    std::string written;

    void operator()(const PageHeading& heading) {
        written += "\n" + heading.text + "\n";
        if (heading.level <= 2) written += std::string(placesOf(heading.text), heading.level == 1 ? '=' : '-') + "\n";
        begins_ = true;
    }
    void operator()(const PageParagraph& paragraph) {
        begin();
        written += paragraph.text + "\n";
    }
    void operator()(const PageList& list) {
        begin();
        int number = 0;
        for (const std::string& item : list.items)
            written += (list.numbered ? fmt::format("{}. ", ++number) : std::string("- ")) + item + "\n";
    }
    void operator()(const PageTable& table) {
        begin();
        std::vector<std::size_t> widths;
        for (const std::string& each : table.header) widths.push_back(placesOf(each));
        for (const auto& row : table.rows)
            for (std::size_t i = 0; i < row.size(); ++i) widths[i] = std::max(widths[i], placesOf(row[i]));
        const auto write = [&](const std::vector<std::string>& row) {
            std::string line = " ";
            for (std::size_t i = 0; i < row.size(); ++i)
                line += " " + row[i] + std::string(widths[i] - placesOf(row[i]) + 2, ' ');
            line.erase(line.find_last_not_of(' ') + 1);
            written += line + "\n";
        };
        write(table.header);
        for (const auto& row : table.rows) write(row);
    }
    void operator()(const PagePlots&) {}
    void operator()(const PageSounds&) {}

private:
    /// A blank line between what stands below one heading.
    void begin() {
        if (!begins_) written += "\n";
        begins_ = false;
    }
    bool begins_ = true;
};

class AsMarkdown {
public:
    std::string written;

    void operator()(const PageHeading& heading) {
        written +=
            "\n" + std::string(static_cast<std::size_t>(heading.level), '#') + " " + plain(heading.text) + "\n\n";
    }
    void operator()(const PageParagraph& paragraph) { written += plain(paragraph.text) + "\n\n"; }
    void operator()(const PageList& list) {
        int number = 0;
        for (const std::string& item : list.items)
            written += (list.numbered ? fmt::format("{}. ", ++number) : std::string("- ")) + plain(item) + "\n";
        written += "\n";
    }
    void operator()(const PageTable& table) {
        row(table.header);
        written += "|";
        for (std::size_t i = 0; i < table.header.size(); ++i) written += "---|";
        written += "\n";
        for (const auto& each : table.rows) row(each);
        written += "\n";
    }
    void operator()(const PagePlots&) {}
    void operator()(const PageSounds&) {}

private:
    void row(const std::vector<std::string>& cells) {
        written += "|";
        for (const std::string& each : cells) written += " " + plain(each) + " |";
        written += "\n";
    }
    /// Nothing that a name holds is read as a mark.
    static std::string plain(const std::string& text) {
        std::string safe;
        for (const char c : text) {
            if (std::string_view("\\`*_[]<>#|").find(c) != std::string_view::npos) safe += '\\';
            safe += c;
        }
        return safe;
    }
};

class AsHtml {
public:
    AsHtml(std::function<std::string(const Plot&)> picture, bool sounds)
        : picture_(std::move(picture)), sounds_(sounds) {}
    std::string written;

    void operator()(const PageHeading& heading) {
        written += fmt::format("<h{0}>{1}</h{0}>\n", heading.level, xmlText(heading.text));
    }
    void operator()(const PageParagraph& paragraph) {
        written += fmt::format("<p{}>{}</p>\n", paragraph.quiet ? " class=\"quiet\"" : "", xmlText(paragraph.text));
    }
    void operator()(const PageList& list) {
        const char* tag = list.numbered ? "ol" : "ul";
        written += fmt::format("<{}>\n", tag);
        for (const std::string& item : list.items) written += "<li>" + xmlText(item) + "</li>\n";
        written += fmt::format("</{}>\n", tag);
    }
    void operator()(const PageTable& table) {
        written += "<table>\n<tr>";
        for (const std::string& each : table.header) written += "<th align=\"left\">" + xmlText(each) + "</th>";
        written += "</tr>\n";
        for (const auto& row : table.rows) {
            written += "<tr>";
            for (const std::string& cell : row) written += "<td>" + xmlText(cell) + "</td>";
            written += "</tr>\n";
        }
        written += "</table>\n";
    }
    void operator()(const PagePlots& plots) {
        (*this)(PageHeading{plots.heading});
        written += "<div class=\"plots\">\n";
        for (const Plot& each : plots.plots) written += picture_(each);
        written += "</div>\n";
    }
    void operator()(const PageSounds& sounds) {
        if (!sounds_) return;
        (*this)(PageHeading{sounds.heading});
        for (const PageSound& each : sounds.sounds)
            written +=
                fmt::format("<div class=\"sound\"><span>{0}</span><audio controls preload=\"none\" aria-label=\"{0}\" "
                            "src=\"data:audio/flac;base64,{1}\"></audio></div>\n",
                            xmlText(each.label), base64OfBytes(each.flac));
    }

private:
    std::function<std::string(const Plot&)> picture_;
    bool sounds_;
};

template <typename As> std::string written(const Page& page, As as) {
    as(PageHeading{page.title, 1});
    for (const PageBlock& each : page.blocks) std::visit([&](const auto& block) { as(block); }, each);
    return as.written;
}

} // namespace

std::string pageText(const Page& page) {
    std::string text = written(page, AsText());
    return text.substr(text.find_first_not_of('\n'));
}

std::string pageMarkdown(const Page& page) {
    std::string text = written(page, AsMarkdown());
    return text.substr(text.find_first_not_of('\n'));
}

std::string pageHtml(const Page& page, const std::string& data) {
    constexpr int width = 380, height = 200;
    std::string html = "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                       "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>" +
                       xmlText(page.title) + "</title>\n<style>" + style + "</style>\n</head>\n<body>\n";
    html += written(page, AsHtml([](const Plot& each) { return plotSvg(each, width, height); }, true));
    if (!data.empty()) {
        std::string safe = data; // "</" would end the element wherever it stands; in JSON strings "<\/" means the same
        for (auto at = safe.find("</"); at != std::string::npos; at = safe.find("</", at + 3))
            safe.insert(at + 1, "\\");
        html += std::string(dataBegin) + safe + std::string(dataEnd) + "\n";
    }
    return html + "</body>\n</html>\n";
}

std::string pageRichText(const Page& page, const std::function<std::string(const Plot&)>& picture) {
    return written(page, AsHtml(picture, false));
}

std::string dataOfPage(const std::string& html) {
    const auto begin = html.find(dataBegin);
    if (begin == std::string::npos) return {};
    const auto from = begin + dataBegin.size(), end = html.find(dataEnd, from);
    return end == std::string::npos ? std::string() : html.substr(from, end - from);
}

} // namespace facet
