#include "app/panels/common/panel.h"

#include "core/geometry/stand_in.h"

#include "app/theme/tokens.h"
#include "app/widgets/pose_picture.h"

namespace garland {

PosePictures::PosePictures(Document& document, QObject* parent) : QObject(parent), document_(document) {}

SourceFrame PosePictures::frame_of(const SourceClock& clock, int index, int count) {
    const double span = clock.last() - clock.first;
    return clock.first + (count > 1 ? std::round(span * index / (count - 1)) : 0.0);
}

const std::vector<QImage>& PosePictures::get(SourceId source, int count, QSize size) {
    static const std::vector<QImage> none;
    const auto open = document_.library().open().find(source);
    const auto sampler = document_.show()->samplers.find(source);
    if (open == document_.library().open().end() || sampler == document_.show()->samplers.end()) return none;
    const Key key{sampler->second.identity(), count, size.width(), size.height()};
    auto found = made_.find(key);
    if (found != made_.end()) return found->second;
    if (made_.size() > 64) made_.clear();
    auto& images = made_[key];
    images.resize(static_cast<std::size_t>(count));

    using Images = std::vector<QImage>;
    const ShowPtr show = document_.show(); // keeps the sampler's cache in use
    document_.jobs().start<Images>(
        this, tr("Drawing poses"),
        [show, sampler = sampler->second, count, size](Progress& progress) -> Result<Images> {
            Images out;
            Imath::Box3f all; // one camera for all, so that the motion is seen
            std::vector<PosePtr> poses;
            for (int i = 0; i < count; ++i) {
                auto pose = sampler.at(frame_of(sampler.clock(), i, count), progress);
                if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
                poses.push_back(pose ? stand_in(pose->pose, 3000)
                                     : nullptr); // an unreadable frame leaves its place empty
                if (!pose) continue;
                all.extendBy(bounds(*poses.back()));
            }
            PictureStyle style;
            style.frame = all;
            for (const PosePtr& pose : poses) {
                out.push_back(pose ? pose_picture(*pose, size.width(), size.height(), style) : QImage());
            }
            return out;
        },
        [this, key](Result<Images> result) {
            if (!result) return;
            made_[key] = std::move(*result);
            emit ready();
        },
        JobKind::interactive);
    return images;
}

} // namespace garland
