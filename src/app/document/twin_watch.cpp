#include "app/document/twin_watch.h"

namespace garland {

TwinWatch::TwinWatch(Document& document, QObject* parent) : QObject(parent), document_(document) {
    pause_.setSingleShot(true);
    pause_.setInterval(150);
    connect(&pause_, &QTimer::timeout, this, &TwinWatch::look);
    connect(&document_, &Document::changed, this, [this] {
        if (job_) job_->drop();
        pause_.start();
    });
    pause_.start();
}

const TwinState* TwinWatch::of(ArrangementId id) const {
    const auto at = now_.arrangements.find(id);
    return at == now_.arrangements.end() ? nullptr : &at->second;
}

void TwinWatch::look() {
    const ShowPtr show = document_.show();
    job_ = document_.jobs().start<TwinsNow>(
        this, tr("Looking for twins"),
        [show](Progress& p) -> Result<TwinsNow> {
            TwinsNow found;
            for (const ArrangementShow& a : show->arrangements) {
                if (found.arrangements.count(a.id)) continue;
                GARLAND_TRY(state, twin_state(*show, a.id, frames, p));
                found.copies.insert(state.twin_copies.begin(), state.twin_copies.end());
                found.arrangements.emplace(a.id, std::move(state));
            }
            return found;
        },
        [this, show](Result<TwinsNow> result) {
            if (!result) return; // something newer is on its way
            now_ = std::move(*result);
            about_ = show;
            emit changed();
        },
        JobKind::interactive);
}

} // namespace garland
