// The pages under docs/ that benches write: each owns what lies between two marks.
#pragma once

#include <fstream>
#include <sstream>
#include <string>

namespace facet {

/// Replaces what a page holds between "<!-- NAME -->" and "<!-- end of NAME -->". False where the marks are missing.
inline bool writeBetween(const std::string& path, const std::string& name, const std::string& text) {
    std::ifstream in(path);
    std::stringstream read;
    read << in.rdbuf();
    std::string page = read.str();
    const std::string begin = "<!-- " + name + " -->\n", end = "<!-- end of " + name + " -->";
    const auto from = page.find(begin), to = page.find(end);
    if (from == std::string::npos || to == std::string::npos) return false;
    page.replace(from + begin.size(), to - from - begin.size(), text);
    std::ofstream(path) << page;
    return true;
}

} // namespace facet
