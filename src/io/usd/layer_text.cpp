// A layer as USD text. Large values wait on the disk until the layer is put together.
#include "io/usd/layer_writer.h"

#include <cstdio>
#include <fmt/format.h>
#include <iterator>
#include <map>
#include <utility>

namespace garland {

namespace {

class TextStore final : public UsdStore {
  public:
    explicit TextStore(AtomicFile file) : UsdStore(std::move(file)) {}
    ~TextStore() override {
        if (spool_) std::fclose(spool_);
    }

    UsdKept keep(const UsdValue& value) override {
        const auto [known, fresh] = known_.try_emplace(hash_of(value), kept_.size());
        if (!fresh) return known->second;
        Kept k;
        put_text(value, [&](std::string_view text) {
            if (k.size == 0 && k.text.size() + text.size() <= small) {
                k.text += text;
            } else {
                if (k.size == 0) k.at = end_, spool(std::exchange(k.text, {}), k);
                spool(text, k);
            }
        });
        kept_.push_back(std::move(k));
        return known->second;
    }

    Result<void> finish(const UsdOutPrim& root) override {
        if (failed_) return no_room();
        out_ = "#usda 1.0\n";
        if (!root.about.empty()) {
            out_ += "(\n";
            for (const auto& a : root.about) put("    {} = ", a.name), value(a.value), put("\n");
            out_ += ")\n";
        }
        for (const auto& c : root.children) prim(*c, 0);
        flush();
        if (failed_) return no_room();
        bytes_ = file_.written();
        return {};
    }

  private:
    static constexpr std::size_t small = 200; // characters that stay in memory
    struct Kept {
        std::string text;
        long at = 0;
        std::size_t size = 0; // in the spool
    };

    void spool(std::string_view text, Kept& k) {
        if (!spool_) spool_ = std::tmpfile();
        failed_ |= !spool_ || std::fwrite(text.data(), 1, text.size(), spool_) != text.size();
        end_ += static_cast<long>(text.size());
        k.size += text.size();
    }

    static Result<void> no_room() {
        return fail(Error{ErrorCode::disk_full, "there is no room for the samples on the way"}
                        .advise("free some space, or choose another disk")
                        .keeping("nothing was written"));
    }

    template <class... Args>
    void put(fmt::format_string<Args...> form, Args&&... args) {
        fmt::format_to(std::back_inserter(out_), form, std::forward<Args>(args)...);
        if (out_.size() > (1u << 20)) flush();
    }
    void flush() {
        file_.write(out_);
        out_.clear();
    }
    void value(UsdKept kept) {
        const Kept& k = kept_[kept];
        if (k.size == 0) {
            out_ += k.text;
            return;
        }
        flush();
        std::fseek(spool_, k.at, SEEK_SET);
        buffer_.resize(std::min<std::size_t>(k.size, 1 << 20));
        for (std::size_t left = k.size; left > 0;) {
            const std::size_t got = std::fread(buffer_.data(), 1, std::min(left, buffer_.size()), spool_);
            if (got == 0) {
                failed_ = true;
                return;
            }
            file_.write(buffer_.data(), got);
            left -= got;
        }
    }

    void prim(const UsdOutPrim& p, std::size_t depth) {
        const std::string in(depth * 4, ' ');
        static const char* const kinds[] = {"def", "over", "class"};
        put("\n{}{}{} \"{}\"", in, kinds[p.kind], p.type.empty() ? "" : " " + p.type, p.name);
        if (!p.about.empty()) {
            put(" (\n");
            for (const auto& a : p.about) {
                put("{}    {}{} = ", in, a.prepend ? "prepend " : "", a.name);
                value(a.value);
                put("\n");
            }
            put("{})", in);
        }
        put("\n{}{{\n", in);
        for (const auto& q : p.properties) property(*q, in + "    ");
        for (const auto& c : p.children) prim(*c, depth + 1);
        put("{}}}\n", in);
    }

    void property(const UsdOutProperty& p, const std::string& in) {
        if (p.type == "rel") {
            put("{}rel {} = [", in, p.name);
            for (std::size_t i = 0; i < p.targets.size(); ++i) put("{}<{}>", i ? ", " : "", p.targets[i]);
            put("]\n");
            return;
        }
        const std::string declared = fmt::format("{}{}{} {}", in, p.uniform ? "uniform " : "", p.type, p.name);
        if (p.value || p.samples.empty()) {
            put("{}", declared);
            if (p.value) put(" = "), value(*p.value);
            about(p, in);
        }
        if (p.samples.empty()) return;
        if (!p.value && !p.about.empty()) put("{}", declared), about(p, in);
        put("{}.timeSamples = {{\n", declared);
        for (const UsdOutSample& s : p.samples) put("{}    {}: ", in, s.time), value(s.value), put(",\n");
        put("{}}}\n", in);
    }

    void about(const UsdOutProperty& p, const std::string& in) {
        if (!p.about.empty()) {
            put(" (\n");
            for (const auto& [name, kept] : p.about) put("{}    {} = ", in, name), value(kept), put("\n");
            put("{})", in);
        }
        put("\n");
    }

    std::vector<Kept> kept_;
    std::map<UsdHash, UsdKept> known_;
    std::FILE* spool_ = nullptr;
    long end_ = 0;
    bool failed_ = false;
    std::string out_;
    std::vector<char> buffer_;
};

} // namespace

std::unique_ptr<UsdStore> make_text_store(AtomicFile file) {
    return std::make_unique<TextStore>(std::move(file));
}

} // namespace garland
