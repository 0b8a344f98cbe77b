#include "io/usd/usda.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland {

namespace {

struct Bad {
    const char* at;
    std::string what;
    ErrorCode code = ErrorCode::malformed;
};

bool word_char(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == ':' ||
           c == '.' || c == '-' || c == '!' || (c & 0x80) != 0;
}

class UsdaParser {
  public:
    UsdaParser(std::string_view text, UsdaLayer& out) : at_(text.data()), end_(at_ + text.size()), out_(out) {}

    void run() {
        if (!std::string_view(at_, static_cast<std::size_t>(end_ - at_)).starts_with("#usda 1.0"))
            throw Bad{at_, "this is not USD text: it does not begin with \"#usda 1.0\""};
        skip();
        if (at_ < end_ && *at_ == '(') layer_metadata();
        prims(-1);
        if (at_ < end_) throw Bad{at_, "a closing brace too many"};
    }

  private:
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
        if (peek() != c) throw Bad{at_, fmt::format("a \"{}\" is missing", c)};
        ++at_;
    }
    std::string_view word() {
        skip();
        const char* from = at_;
        while (at_ < end_ && word_char(*at_)) ++at_;
        while (at_ - from > 0 && at_ + 1 < end_ && at_[0] == '[' && at_[1] == ']') at_ += 2;
        return {from, static_cast<std::size_t>(at_ - from)};
    }

    void skip_quoted() {
        const char quote = *at_;
        const bool triple = end_ - at_ >= 3 && at_[1] == quote && at_[2] == quote;
        const char* from = at_;
        at_ += triple ? 3 : 1;
        for (;; ++at_) {
            if (at_ >= end_ || (!triple && *at_ == '\n')) throw Bad{from, "a text in quotes does not end"};
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

    // One value of any kind; what it spans.
    std::string_view value() {
        skip();
        const char* from = at_;
        std::vector<char> open;
        do {
            skip();
            if (at_ >= end_) throw Bad{from, "a value does not end"};
            switch (*at_) {
            case '"':
            case '\'': skip_quoted(); break;
            case '@': {
                const void* close = std::memchr(at_ + 1, '@', static_cast<std::size_t>(end_ - at_ - 1));
                if (!close) throw Bad{at_, "a path between @ does not end"};
                at_ = static_cast<const char*>(close) + 1;
                if (open.empty() && peek() == '<') continue;
                break;
            }
            case '<': {
                const void* close = std::memchr(at_, '>', static_cast<std::size_t>(end_ - at_));
                if (!close) throw Bad{at_, "a path between < and > does not end"};
                at_ = static_cast<const char*>(close) + 1;
                break;
            }
            case '[':
            case '(':
            case '{':
                if (open.size() > usda_depth) throw Bad{at_, "brackets are nested too deeply", ErrorCode::too_large};
                open.push_back(*at_ == '[' ? ']' : *at_ == '(' ? ')' : '}');
                ++at_;
                break;
            case ']':
            case ')':
            case '}':
                if (open.empty() || open.back() != *at_)
                    throw Bad{at_, fmt::format("a \"{}\" that nothing opened", *at_)};
                open.pop_back();
                ++at_;
                break;
            default: {
                const char* before = at_;
                if (open.empty()) {
                    while (at_ < end_ && (word_char(*at_) || *at_ == '+')) ++at_;
                } else { // numbers: run on to whatever may end or open something
                    while (at_ < end_ && std::strchr("[](){}\"'@<#", *at_) == nullptr) ++at_;
                }
                if (at_ == before) {
                    if (open.empty()) throw Bad{at_, fmt::format("\"{}\" is not expected here", *at_)};
                    ++at_;
                }
                break;
            }
            }
        } while (!open.empty());
        return {from, static_cast<std::size_t>(at_ - from)};
    }

    double number_of(std::string_view text, const char* what) {
        double v = 0;
        const auto [stop, error] = fast_float::from_chars(text.data(), text.data() + text.size(), v);
        if (error != std::errc() || stop != text.data() + text.size() || !std::isfinite(v))
            throw Bad{text.data(), fmt::format("{} is not a number", what)};
        return v;
    }

    void layer_metadata() {
        expect('(');
        while (peek() != ')') {
            if (at_ >= end_) throw Bad{at_, "the layer's metadata do not end"};
            if (*at_ == '"' || *at_ == '\'') {
                skip_quoted();
                continue;
            }
            const std::string_view name = word();
            if (name.empty()) throw Bad{at_, "a name is missing"};
            if (peek() != '=') continue;
            ++at_;
            const std::string_view v = value();
            if (name == "timeCodesPerSecond") {
                out_.codes_a_second = number_of(v, "timeCodesPerSecond");
                said_codes_ = true;
            } else if (name == "framesPerSecond" && !said_codes_) {
                out_.codes_a_second = number_of(v, "framesPerSecond");
            } else if (name == "metersPerUnit") {
                out_.metres = number_of(v, "metersPerUnit");
            } else if (name == "startTimeCode") {
                out_.start = number_of(v, "startTimeCode");
            } else if (name == "endTimeCode") {
                out_.end = number_of(v, "endTimeCode");
            } else if (name == "upAxis") {
                out_.z_up = v.find('Z') != v.npos;
            } else if (name == "subLayers") {
                out_.notes.emplace_back("other layers below this one");
            }
        }
        ++at_;
        if (!(out_.codes_a_second > 0 && out_.codes_a_second < 1e6)) throw Bad{at_, "timeCodesPerSecond is not usable"};
        if (!(out_.metres > 1e-9 && out_.metres < 1e9)) throw Bad{at_, "metersPerUnit is not usable"};
    }

    // Metadata of a prim or an attribute; what `interpolation` says in it.
    std::string_view metadata(bool of_prim) {
        std::string_view found;
        expect('(');
        while (peek() != ')') {
            if (at_ >= end_) throw Bad{at_, "metadata do not end"};
            if (*at_ == '"' || *at_ == '\'') {
                skip_quoted();
                continue;
            }
            const std::string_view name = word();
            if (name.empty()) throw Bad{at_, "a name is missing"};
            if (of_prim && (name == "references" || name == "payload" || name == "inherits" || name == "specializes")) {
                out_.notes.emplace_back(fmt::format("{} of a prim", name));
            }
            if (peek() != '=') continue; // "prepend references = …" has two words
            ++at_;
            const std::string_view v = value();
            if (of_prim && name == "active" && v == "false") switched_off_ = true;
            if (name == "interpolation" && v.size() > 2) found = v.substr(1, v.size() - 2);
        }
        ++at_;
        return found;
    }

    // Everything up to the brace that closes the prim, or the end of the file.
    void prims(int parent) {
        if (++depth_ > usda_depth) throw Bad{at_, "prims are nested too deeply", ErrorCode::too_large};
        while (peek() != '\0' && *at_ != '}') statement(parent);
        --depth_;
    }

    void statement(int parent) {
        const char* from = at_;
        std::string_view first = word();
        if (first == "def" || first == "over" || first == "class") return prim(parent, first == "def");
        if (parent < 0 || first.empty())
            throw Bad{from, fmt::format("\"{}\" is not expected here",
                                        std::string_view(
                                            from, std::min<std::size_t>(static_cast<std::size_t>(end_ - from), 12)))};
        if (first == "variantSet") {
            out_.notes.emplace_back("variants of a prim");
            value();
            expect('=');
            value();
            return;
        }
        if (first == "reorder") {
            word();
            expect('=');
            value();
            return;
        }
        bool custom = true;
        while (custom) {
            custom = first == "custom" || first == "uniform" || first == "varying" || first == "prepend" ||
                     first == "append" || first == "add" || first == "delete";
            if (custom) first = word();
        }
        std::string_view name = word();
        if (name.empty()) throw Bad{at_, "an attribute has no name"};
        constexpr std::string_view samples = ".timeSamples", connect = ".connect";
        const bool sampled = name.ends_with(samples), connected = name.ends_with(connect);
        if (sampled) name.remove_suffix(samples.size());
        if (connected) name.remove_suffix(connect.size());
        auto& list = out_.prims[static_cast<std::size_t>(parent)].attributes;
        auto found = std::find_if(list.begin(), list.end(), [&](const UsdaAttribute& a) { return a.name == name; });
        UsdaAttribute unused;
        const bool keeps = first != "rel" && !connected;
        UsdaAttribute& a = !keeps ? unused : found != list.end() ? *found : list.emplace_back();
        a.type = first, a.name = name;
        if (peek() == '=') {
            ++at_;
            if (sampled) {
                time_samples(a);
            } else {
                a.value = value();
            }
        }
        if (peek() == '(') a.interpolation = metadata(false);
    }

    void time_samples(UsdaAttribute& a) {
        const char* from = at_;
        expect('{');
        while (peek() != '}') {
            if (at_ >= end_) throw Bad{from, "time samples do not end"};
            UsdaSample sample;
            const char* start = at_;
            while (at_ < end_ && *at_ != ':' && *at_ != '\n') ++at_;
            std::string_view key(start, static_cast<std::size_t>(at_ - start));
            while (!key.empty() && key.back() == ' ') key.remove_suffix(1);
            sample.time = number_of(key, "a sample's time");
            if (std::abs(sample.time) > 1e9) throw Bad{start, "a sample's time is beyond what can be counted"};
            expect(':');
            sample.value = value();
            if (sample.value != "None")
                a.samples.push_back(sample);
            else
                out_.notes.emplace_back("a time sample without a value (None)");
        }
        ++at_;
        const auto later = [](const UsdaSample& x, const UsdaSample& y) { return x.time < y.time; };
        if (!std::is_sorted(a.samples.begin(), a.samples.end(), later))
            std::stable_sort(a.samples.begin(), a.samples.end(), later);
        for (std::size_t i = 1; i < a.samples.size(); ++i) {
            if (a.samples[i].time == a.samples[i - 1].time)
                throw Bad{from,
                          fmt::format("the time {} comes twice among the samples of {}", a.samples[i].time, a.name)};
        }
    }

    void prim(int parent, bool defined) {
        UsdaPrim p;
        if (peek() != '"') p.type = word();
        if (peek() != '"') throw Bad{at_, "a prim has no name"};
        const char* from = at_;
        skip_quoted();
        p.name = std::string_view(from + 1, static_cast<std::size_t>(at_ - from - 2));
        p.parent = parent;
        switched_off_ = false;
        if (peek() == '(') metadata(true);
        const bool off = switched_off_;
        expect('{');
        const std::size_t index = out_.prims.size();
        out_.prims.push_back(std::move(p));
        prims(static_cast<int>(index));
        expect('}');
        if (!defined) { // what is only changed or inherited from stands for nothing by itself
            out_.prims.resize(index);
            out_.notes.emplace_back("an \"over\" or a \"class\"");
        } else if (off) {
            out_.prims.resize(index);
            out_.notes.emplace_back("a prim that is not active");
        }
    }

    const char *at_, *end_;
    UsdaLayer& out_;
    int depth_ = 0;
    bool switched_off_ = false; // the prim whose metadata were read last
    bool said_codes_ = false;
};

} // namespace

std::int64_t line_of(std::string_view text, const char* at) {
    if (at < text.data()) return 1; // an empty value points nowhere
    return 1 + std::count(text.data(), std::min(at, text.data() + text.size()), '\n');
}

const UsdaAttribute* UsdaPrim::find(std::string_view wanted) const {
    for (const UsdaAttribute& a : attributes) {
        if (a.name == wanted) return &a;
    }
    return nullptr;
}

UsdaAttribute::At UsdaAttribute::at(double time) const {
    if (samples.empty()) return {value, {}, 0};
    const auto after = std::upper_bound(samples.begin(), samples.end(), time,
                                        [](double t, const UsdaSample& s) { return t < s.time; });
    if (after == samples.begin()) return {samples.front().value, {}, 0};
    const UsdaSample& before = *(after - 1);
    if (after == samples.end() || before.time == time) return {before.value, {}, 0};
    return {before.value, after->value, (time - before.time) / (after->time - before.time)};
}

Result<UsdaLayer> parse_usda(std::string_view text, const std::string& path) {
    UsdaLayer layer;
    try {
        UsdaParser(text, layer).run();
    } catch (const Bad& bad) {
        return fail(Error{bad.code, bad.what}.at(path).at_line(line_of(text, bad.at)));
    }
    std::sort(layer.notes.begin(), layer.notes.end());
    layer.notes.erase(std::unique(layer.notes.begin(), layer.notes.end()), layer.notes.end());
    return layer;
}

} // namespace garland
