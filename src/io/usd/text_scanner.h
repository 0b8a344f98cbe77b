// What USD text is made of: words, texts in quotes, files, paths, values in brackets and lists. Used by text_layer.cpp
// only.
#pragma once

#include "io/usd/layer.h"

#include <cmath>
#include <cstring>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland {

struct UsdTextBad { // becomes an error with its line
    const char* at;
    std::string what;
    ErrorCode code = ErrorCode::malformed;
};

inline bool usd_word_char(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == ':' ||
           c == '.' || c == '-' || c == '!' || (c & 0x80) != 0;
}

inline double usd_number_in(std::string_view text, const char* what) {
    double v = 0;
    const auto [stop, error] = fast_float::from_chars(text.data(), text.data() + text.size(), v);
    if (error != std::errc() || stop != text.data() + text.size() || !std::isfinite(v))
        throw UsdTextBad{text.data(), fmt::format("{} is not a number", what)};
    return v;
}

inline std::string_view usd_unquoted(std::string_view v) {
    return v.size() >= 2 && (v[0] == '"' || v[0] == '\'') ? v.substr(1, v.size() - 2) : v;
}

// What stands before a list: "prepend references = …".
enum class UsdEdit { none, prepend, append, remove, order };

template <class T>
void put_usd_edit(UsdList<T>& list, UsdEdit edit, std::vector<T> items) {
    auto add = [&items](std::vector<T>& to) { to.insert(to.end(), items.begin(), items.end()); };
    switch (edit) {
    case UsdEdit::none:
        list.replaces = true;
        list.items = std::move(items);
        return;
    case UsdEdit::prepend: return add(list.prepended);
    case UsdEdit::append: return add(list.appended);
    case UsdEdit::remove: return add(list.deleted);
    case UsdEdit::order: return;
    }
}

// What text is made of: words, texts in quotes, values in brackets.
class UsdScanner {
  public:
    explicit UsdScanner(std::string_view text) : at_(text.data()), end_(at_ + text.size()) {}

  protected:
    // Spaces, line ends and comments.
    void skip() {
        while (at_ < end_) {
            if (*at_ == '#') {
                const void* next = std::memchr(at_, '\n', static_cast<std::size_t>(end_ - at_));
                at_ = next ? static_cast<const char*>(next) : end_;
            } else if (*at_ == ' ' || *at_ == '\n' || *at_ == '\t' || *at_ == '\r' || *at_ == ';' || *at_ == ',') {
                ++at_;
            } else {
                return;
            }
        }
    }
    char peek() {
        skip();
        return at_ < end_ ? *at_ : '\0';
    }
    void expect(char c) {
        if (peek() != c) throw UsdTextBad{at_, fmt::format("a \"{}\" is missing", c)};
        ++at_;
    }
    std::string_view word() {
        skip();
        const char* from = at_;
        while (at_ < end_ && usd_word_char(*at_)) ++at_;
        while (at_ - from > 0 && at_ + 1 < end_ && at_[0] == '[' && at_[1] == ']') at_ += 2;
        return {from, static_cast<std::size_t>(at_ - from)};
    }

    void skip_quoted() {
        const char quote = *at_;
        const bool triple = end_ - at_ >= 3 && at_[1] == quote && at_[2] == quote;
        const char* from = at_;
        at_ += triple ? 3 : 1;
        for (;; ++at_) {
            if (at_ >= end_ || (!triple && *at_ == '\n')) throw UsdTextBad{from, "a text in quotes does not end"};
            if (*at_ == '\\') {
                ++at_;
                continue;
            }
            if (*at_ != quote) continue;
            if (!triple) break;
            if (end_ - at_ >= 3 && at_[1] == quote && at_[2] == quote) {
                at_ += 2;
                break;
            }
        }
        ++at_;
    }
    // A name between quotes.
    std::string_view quoted(const char* missing) {
        if (peek() != '"' && peek() != '\'') throw UsdTextBad{at_, missing};
        const char* from = at_;
        skip_quoted();
        return {from + 1, static_cast<std::size_t>(at_ - from - 2)};
    }
    // A file between @ or @@@.
    std::string_view asset() {
        const bool triple = end_ - at_ >= 3 && at_[1] == '@' && at_[2] == '@';
        const std::string_view rest(at_, static_cast<std::size_t>(end_ - at_)), mark = triple ? "@@@" : "@";
        const std::size_t close = rest.find(mark, mark.size());
        if (close == rest.npos) throw UsdTextBad{at_, "a path between @ does not end"};
        at_ += close + mark.size();
        return rest.substr(mark.size(), close - mark.size());
    }
    std::string_view target() { // a path between < and >
        if (peek() != '<') throw UsdTextBad{at_, "a path between < and > is missing"};
        const void* close = std::memchr(at_, '>', static_cast<std::size_t>(end_ - at_));
        if (!close) throw UsdTextBad{at_, "a path between < and > does not end"};
        const char* from = at_ + 1;
        at_ = static_cast<const char*>(close) + 1;
        return {from, static_cast<std::size_t>(at_ - 1 - from)};
    }

    // One value of any kind; what it spans.
    std::string_view value() {
        skip();
        const char* from = at_;
        std::vector<char> open;
        do {
            skip();
            if (at_ >= end_) throw UsdTextBad{from, "a value does not end"};
            switch (*at_) {
            case '"':
            case '\'': skip_quoted(); break;
            case '@': {
                asset();
                const char* end = at_;
                if (open.empty() && peek() == '<') continue;
                at_ = open.empty() ? end : at_;
                break;
            }
            case '<': target(); break;
            case '[':
            case '(':
            case '{':
                if (open.size() > usd_depth)
                    throw UsdTextBad{at_, "brackets are nested too deeply", ErrorCode::too_large};
                open.push_back(*at_ == '[' ? ']' : *at_ == '(' ? ')' : '}');
                ++at_;
                break;
            case ']':
            case ')':
            case '}':
                if (open.empty() || open.back() != *at_)
                    throw UsdTextBad{at_, fmt::format("a \"{}\" that nothing opened", *at_)};
                open.pop_back();
                ++at_;
                break;
            default: {
                const char* before = at_;
                if (open.empty()) {
                    while (at_ < end_ && (usd_word_char(*at_) || *at_ == '+')) ++at_;
                } else { // numbers: run on to whatever may end or open something
                    while (at_ < end_ && std::strchr("[](){}\"'@<#", *at_) == nullptr) ++at_;
                }
                if (at_ == before) {
                    if (open.empty()) throw UsdTextBad{at_, fmt::format("\"{}\" is not expected here", *at_)};
                    ++at_;
                }
                break;
            }
            }
        } while (!open.empty());
        return {from, static_cast<std::size_t>(at_ - from)};
    }

    // One thing, or several between [ and ]; None: nothing.
    template <class Read>
    void list(Read&& read) {
        if (peek() == 'N') {
            const char* from = at_;
            if (word() != "None") throw UsdTextBad{from, "a list is missing"};
            return;
        }
        if (*at_ != '[') return read();
        for (++at_; peek() != ']';) {
            if (at_ >= end_) throw UsdTextBad{at_, "a list does not end"};
            read();
        }
        ++at_;
    }

    std::string_view edited_name(UsdEdit& edit) {
        std::string_view name = word();
        const std::pair<std::string_view, UsdEdit> edits[] = {{"prepend", UsdEdit::prepend},
                                                              {"append", UsdEdit::append},
                                                              {"add", UsdEdit::append},
                                                              {"delete", UsdEdit::remove},
                                                              {"reorder", UsdEdit::order}};
        for (const auto& [said, meant] : edits) {
            if (name != said || peek() == '=') continue;
            edit = meant;
            return word();
        }
        return name;
    }

    // Everything between ( and ): read(name, edit) stands behind "name =" and takes the value.
    template <class Read>
    void metadata(Read&& read) {
        expect('(');
        while (peek() != ')') {
            if (at_ >= end_) throw UsdTextBad{at_, "metadata do not end"};
            if (*at_ == '"' || *at_ == '\'') {
                skip_quoted();
                continue;
            }
            UsdEdit edit = UsdEdit::none;
            const std::string_view name = edited_name(edit);
            if (name.empty()) throw UsdTextBad{at_, "a name is missing"};
            if (peek() != '=') continue;
            ++at_;
            read(name, edit);
        }
        ++at_;
    }

    const char *at_, *end_;
};

} // namespace garland
