#include "app/panels/retime/sections.h"

namespace garland {

RetimeSection::RetimeSection(Document& document, Viewing& viewing, TimeMapView& map)
    : document_(document), viewing_(viewing), map_(map) {}

const Timing* RetimeSection::timing() const {
    return document_.project().timing(viewing_.timing());
}

bool RetimeSection::edit_timing(const QString& words, const std::function<Result<void>(Timing&)>& change,
                                const QString& merge) {
    const TimingId id = viewing_.timing();
    if (!timing()) return false;
    return document_.edit(
        words, [&](Project& p) { return change(*p.timing(id)); }, merge);
}

bool RetimeSection::edit_project(const QString& words, const std::function<Result<void>(Project&)>& change,
                                 const QString& merge) {
    return document_.edit(words, change, merge);
}

NumberField* RetimeSection::number(Quantity quantity, double low, double high, int decimals, const QString& name,
                                   const QString& tip, int width) {
    auto* field = make_number(quantity, low, high, decimals, name, tip);
    field->setMinimumWidth(width - 12);
    field->setMaximumWidth(width + 8);
    numbers_.push_back(field);
    connect(field, &NumberField::settled, &document_, &Document::end_merge);
    return field;
}

QVBoxLayout* RetimeSection::rows(QWidget* of) {
    auto* column = new QVBoxLayout(of);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    return column;
}

void RetimeSection::take_units() {
    const Settings& s = document_.project().settings;
    for (NumberField* field : numbers_) {
        field->set_rate(s.rate);
        field->set_beat(frames_per_beat(s.tempo, s.rate));
    }
}

} // namespace garland
