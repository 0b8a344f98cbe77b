// Twins while one works: looked for in the background whenever the project has been left alone for a moment.
#pragma once

#include "app/document/document.h"
#include "core/project/varying.h"

#include <QTimer>
#include <map>
#include <set>

namespace garland {

struct TwinsNow {
    std::map<ArrangementId, TwinState> arrangements;
    std::set<std::int64_t> copies; // that have a twin; numbers over the project, from 0
    std::int64_t twins() const { return static_cast<std::int64_t>(copies.size()); }
};

class TwinWatch : public QObject {
    Q_OBJECT
  public:
    static constexpr int frames = 48; // sampled

    explicit TwinWatch(Document& document, QObject* parent = nullptr);
    const TwinsNow& now() const { return now_; }                // as last found
    bool current() const { return about_ == document_.show(); } // found for what the project is now
    const TwinState* of(ArrangementId id) const;

  signals:
    void changed();

  private:
    void look();
    Document& document_;
    TwinsNow now_;
    ShowPtr about_;
    QTimer pause_;
    QPointer<Job> job_;
};

} // namespace garland
