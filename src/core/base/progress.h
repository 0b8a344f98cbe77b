// How long work tells how far it is and learns that nobody wants it any more.
#pragma once

#include <string_view>

namespace garland {

// The default does nothing and never cancels. Derived classes may be called from any thread.
class Progress {
  public:
    virtual ~Progress() = default;
    // share: 0…1 of the whole; what: a few words about the current part.
    virtual void report(double share, std::string_view what) {
        static_cast<void>(share);
        static_cast<void>(what);
    }
    virtual bool cancelled() const { return false; }

    static Progress& none() {
        static Progress nothing;
        return nothing;
    }
};

// A part of a longer work: its 0…1 is from…to of the whole.
class PartOf final : public Progress {
  public:
    PartOf(Progress& whole, double from, double to) : whole_(whole), from_(from), to_(to) {}
    void report(double share, std::string_view what) override { whole_.report(from_ + (to_ - from_) * share, what); }
    bool cancelled() const override { return whole_.cancelled(); }

  private:
    Progress& whole_;
    double from_, to_;
};

} // namespace garland
