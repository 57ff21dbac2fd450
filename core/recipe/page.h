// A page of words, tables, pictures and sounds, and how it is written as text, Markdown and HTML.
#pragma once

#include "core/recipe/plot.h"

#include <functional>
#include <string>
#include <variant>
#include <vector>

namespace facet {

struct PageHeading {
    std::string text;
    int level = 2; ///< 1 … 3
};
struct PageParagraph {
    std::string text;
    bool quiet = false; ///< beside the matter
};
struct PageList {
    std::vector<std::string> items;
    bool numbered = false;
};
struct PageTable {
    std::vector<std::string> header;
    std::vector<std::vector<std::string>> rows; ///< as many cells as the header has
};
/// Pictures that stand beside each other, with a heading of level 2 where they can be shown at all.
struct PagePlots {
    std::string heading;
    std::vector<Plot> plots;
};
/// Something to listen to.
struct PageSound {
    std::string label;
    std::string flac; ///< bytes of a FLAC file
};
/// The same; only HTML has them.
struct PageSounds {
    std::string heading;
    std::vector<PageSound> sounds;
};
using PageBlock = std::variant<PageHeading, PageParagraph, PageList, PageTable, PagePlots, PageSounds>;

struct Page {
    std::string title;
    std::vector<PageBlock> blocks;
};

/// UTF-8 without marks, tables in columns; lines end with a line feed.
std::string pageText(const Page& page);
/// CommonMark with pipe tables. Without pictures and sounds.
std::string pageMarkdown(const Page& page);
/// One self-contained file of HTML 5 with its style, light and dark, pictures as SVG and sounds as data. `data`: JSON
/// put beside them in an element of the id "facet-patch"; may be empty.
std::string pageHtml(const Page& page, const std::string& data);
/// The body of that alone in the HTML that text documents of toolkits take, with `picture` for each plot in place of
/// SVG, and without sounds.
std::string pageRichText(const Page& page, const std::function<std::string(const Plot&)>& picture);

/// The JSON that pageHtml() put into a file; empty where there is none.
std::string dataOfPage(const std::string& html);

} // namespace facet
