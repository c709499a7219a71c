// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lTree.h"

#include <algorithm>

namespace brusk::definition {
namespace {

constexpr size_t kDeepest = 64;  // No A2L nests deeper than a handful; a hostile one must not exhaust the stack.

class Words {
  public:
    Words(std::string_view text, std::vector<Diagnostic>& diagnostics) : text_(text), diagnostics_(diagnostics) {
        if (text_.starts_with("\xEF\xBB\xBF")) at_ = 3;
    }

    /// The next word or string; false at the end of the file.
    bool next(A2lItem& item) {
        skipBlanksAndComments();
        if (at_ >= text_.size()) return false;
        item = A2lItem{};
        item.line = line_;
        if (text_[at_] == '"') {
            readString(item);
            return true;
        }
        const size_t start = at_;
        while (at_ < text_.size() && !isBlank(text_[at_]) && text_[at_] != '"') {
            if (at_ > start && (startsComment() || text_[at_] == '/')) break;
            ++at_;
        }
        item.text = text_.substr(start, at_ - start);
        return true;
    }

    /// Skips everything up to the given "/end WORD" without looking at it (A2ML has a grammar of its own).
    void skipTo(std::string_view ending) {
        const size_t found = text_.find(ending, at_);
        const size_t stop = found == std::string_view::npos ? text_.size() : found;
        line_ += static_cast<int>(
            std::count(text_.begin() + static_cast<long>(at_), text_.begin() + static_cast<long>(stop), '\n'));
        at_ = stop;
    }

  private:
    static bool isBlank(char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n' || c == '\f' || c == '\0'; }

    bool startsComment() const {
        return text_[at_] == '/' && at_ + 1 < text_.size() && (text_[at_ + 1] == '*' || text_[at_ + 1] == '/');
    }

    void skipBlanksAndComments() {
        while (at_ < text_.size()) {
            if (text_[at_] == '\n') {
                ++line_;
                ++at_;
            } else if (isBlank(text_[at_])) {
                ++at_;
            } else if (!startsComment()) {
                return;
            } else if (text_[at_ + 1] == '/') {
                at_ = std::min(text_.find('\n', at_), text_.size());
            } else {
                const int opened = line_;
                const size_t end = text_.find("*/", at_ + 2);
                const size_t stop = end == std::string_view::npos ? text_.size() : end + 2;
                line_ += static_cast<int>(
                    std::count(text_.begin() + static_cast<long>(at_), text_.begin() + static_cast<long>(stop), '\n'));
                at_ = stop;
                if (end == std::string_view::npos)
                    diagnostics_.push_back(
                        {Diagnostic::Severity::Error, opened, "A comment is opened here and never closed."});
            }
        }
    }

    void readString(A2lItem& item) {
        item.quoted = true;
        ++at_;
        while (at_ < text_.size()) {
            const char c = text_[at_++];
            if (c == '\n') ++line_;
            if (c == '"') {
                if (at_ >= text_.size() || text_[at_] != '"') return;
                ++at_;
                item.text += '"';
            } else if (c == '\\' && at_ < text_.size()) {
                const char escaped = text_[at_++];
                item.text += escaped == 'n' ? '\n' : escaped == 't' ? '\t' : escaped == 'r' ? '\r' : escaped;
                if (escaped == '\n') ++line_;
            } else {
                item.text += c;
            }
        }
        diagnostics_.push_back({Diagnostic::Severity::Error, item.line, "A string is opened here and never closed."});
    }

    std::string_view text_;
    std::vector<Diagnostic>& diagnostics_;
    size_t at_ = 0;
    int line_ = 1;
};

}  // namespace

A2lBlock parseA2lTree(std::string_view text, std::vector<Diagnostic>& diagnostics) {
    A2lBlock root;
    std::vector<A2lBlock*> open{&root};
    const auto error = [&](int line, std::string message) {
        diagnostics.push_back({Diagnostic::Severity::Error, line, std::move(message)});
    };
    Words words(text, diagnostics);
    A2lItem item;
    while (words.next(item)) {
        if (item.quoted || (item.text != "/begin" && item.text != "/end" && item.text != "/include")) {
            open.back()->items.push_back(std::move(item));
            continue;
        }
        const std::string command = item.text;
        const int line = item.line;
        if (!words.next(item)) {
            error(line, command + " is the last word of the file; it is cut off.");
            break;
        }
        if (command == "/include") {
            error(line, "The included file " + item.text + " is not read; what it defines is missing.");
        } else if (command == "/begin") {
            if (open.size() >= kDeepest) {
                error(line, "Blocks are nested more than " + std::to_string(kDeepest) + " deep.");
                break;
            }
            A2lItem nested;
            nested.text = item.text;
            nested.line = line;
            nested.block = std::make_unique<A2lBlock>();
            nested.block->keyword = item.text;
            nested.block->line = line;
            A2lBlock* block = nested.block.get();
            open.back()->items.push_back(std::move(nested));
            open.push_back(block);
            if (item.text == "A2ML") words.skipTo("/end A2ML");
        } else {
            const auto match = std::find_if(open.rbegin(), open.rend() - 1,
                                            [&](const A2lBlock* b) { return b->keyword == item.text; });
            if (match == open.rend() - 1) {
                error(line, "/end " + item.text + " closes a block that was not opened.");
                continue;
            }
            for (auto b = open.rbegin(); b != match; ++b)
                error((*b)->line,
                      (*b)->keyword + " is opened here and not closed before line " + std::to_string(line) + ".");
            open.erase(match.base() - 1, open.end());
        }
    }
    for (size_t i = open.size(); i-- > 1;)
        error(open[i]->line, open[i]->keyword + " is opened here and never closed; the file is cut off.");
    return root;
}

}  // namespace brusk::definition
