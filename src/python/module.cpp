// The Python module garland._core; garland/__init__.py makes it a package, garland/__init__.pyi says its types.
#include "python/open_shot.h"

#include "core/copies/attitude.h"
#include "io/handoff/manifest.h"

#include <pybind11/numpy.h>
#include <pybind11/pybind11.h>
#include <pybind11/stl.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <thread>

namespace py = pybind11;
using namespace garland;

namespace {

py::object error_type; // garland.Error

// An exception with the four parts of an error.
[[noreturn]] void raise(const Error& e) {
    if (PyErr_Occurred()) throw py::error_already_set(); // Ctrl+C
    py::object one = error_type(py::str(describe(e)));
    one.attr("code") = name_of(e.code);
    one.attr("message") = e.message;
    one.attr("path") = e.path;
    one.attr("frame") = e.frame ? py::object(py::int_(*e.frame)) : py::object(py::none());
    one.attr("unchanged") = e.kept;
    one.attr("advice") = advice_of(e);
    PyErr_SetObject(error_type.ptr(), one.ptr());
    throw py::error_already_set();
}

template <class T>
T given(Result<T> result) {
    if (PyErr_Occurred()) throw py::error_already_set(); // it came too late to stop the work, and still has to come out
    if (!result) raise(result.error());
    return std::move(*result);
}
void done(const Result<void>& result) {
    if (PyErr_Occurred()) throw py::error_already_set();
    if (!result) raise(result.error());
}

// Long work lets go of the interpreter's lock; now and then it takes it to report and to see whether Ctrl+C was
// pressed.
class PythonProgress final : public Progress {
  public:
    explicit PythonProgress(py::object report) : report_(std::move(report)), thread_(std::this_thread::get_id()) {}

    void report(double share, std::string_view what) override {
        share_ = share;
        if (std::this_thread::get_id() != thread_) return;
        what_ = what;
        look();
    }
    bool cancelled() const override {
        if (std::this_thread::get_id() == thread_) const_cast<PythonProgress*>(this)->look();
        return stop_;
    }

  private:
    void look() {
        const auto now = std::chrono::steady_clock::now();
        if (stop_ || now - last_ < std::chrono::milliseconds(30)) return;
        last_ = now;
        const py::gil_scoped_acquire lock;
        if (PyErr_CheckSignals() != 0) {
            stop_ = true; // the exception stays set until raise()
            return;
        }
        if (report_.is_none()) return;
        try {
            const py::object answer = report_(share_.load(), what_);
            if (!answer.is_none() && !answer.cast<bool>()) stop_ = true;
        } catch (py::error_already_set& e) {
            e.restore();
            stop_ = true;
        }
    }
    py::object report_;
    std::thread::id thread_;
    std::atomic<bool> stop_{false};
    std::atomic<double> share_{0};
    std::string what_;
    std::chrono::steady_clock::time_point last_{};
};

template <class Work>
auto without_lock(Work&& work) {
    const py::gil_scoped_release free;
    return work();
}

// ---- arrays, without copying: the numbers stay where they are, and what owns them lives as long as the array
// ----------

template <class T, class Owner>
py::array_t<T> view(const T* data, std::vector<py::ssize_t> shape, std::shared_ptr<Owner> owner) {
    auto* held = new std::shared_ptr<Owner>(std::move(owner));
    const py::capsule base(held, [](void* p) { delete static_cast<std::shared_ptr<Owner>*>(p); });
    py::array_t<T> out(std::move(shape), data, base);
    out.attr("flags").attr("writeable") = false;
    return out;
}
template <class T>
py::array_t<T> own(std::vector<T> list, std::vector<py::ssize_t> shape) {
    auto held = std::make_shared<std::vector<T>>(std::move(list));
    const T* data = held->data();
    return view<T>(data, std::move(shape), std::move(held));
}
py::array_t<float> vectors(const std::vector<V3f>& list, const std::shared_ptr<const void>& owner) {
    const auto n = static_cast<py::ssize_t>(list.size());
    return view<float>(n ? &list[0].x : nullptr, {n, 3}, owner);
}

py::dict arrays_of(const Pose& pose, const std::vector<V3f>& points, const std::vector<V3f>& normals,
                   const std::vector<V3f>& corner_normals, const std::vector<V3f>& velocities,
                   const std::shared_ptr<const void>& owner) {
    py::dict out;
    out["points"] = vectors(points, owner);
    out["normals"] = normals.empty() ? py::object(py::none()) : vectors(normals, owner);
    out["corner_normals"] = corner_normals.empty() ? py::object(py::none()) : vectors(corner_normals, owner);
    out["velocities"] = velocities.empty() ? py::object(py::none()) : vectors(velocities, owner);
    out["colours"] = pose.colours.empty() ? py::object(py::none()) : vectors(pose.colours, owner);
    const Faces& f = *pose.faces;
    const auto count = static_cast<py::ssize_t>(f.starts.size());
    out["face_starts"] = view<std::uint32_t>(f.starts.data(), {count}, owner);
    out["face_corners"] = view<std::uint32_t>(f.corners.data(), {static_cast<py::ssize_t>(f.corners.size())}, owner);
    out["ids"] = view<std::int64_t>(pose.ids.data(), {static_cast<py::ssize_t>(pose.ids.size())}, owner);
    py::dict attributes;
    for (const Attribute& a : pose.attributes) {
        const auto n = static_cast<py::ssize_t>((a.whole.empty() ? a.values.size() : a.whole.size())) / a.width;
        const std::vector<py::ssize_t> shape =
            a.width == 1 ? std::vector<py::ssize_t>{n} : std::vector<py::ssize_t>{n, a.width};
        attributes[py::str(a.name)] = a.whole.empty() ? py::object(view<float>(a.values.data(), shape, owner))
                                                      : py::object(view<std::int32_t>(a.whole.data(), shape, owner));
    }
    out["attributes"] = attributes;
    return out;
}

// ---- methods that are more than a call
// -------------------------------------------------------------------------------

py::object loads(const std::string& text) {
    return py::module_::import("json").attr("loads")(text);
}
std::string dumps(const py::object& data) {
    return py::module_::import("json").attr("dumps")(data).cast<std::string>();
}

py::dict state(const OpenShot& s, double frame) {
    PythonProgress progress{py::none()};
    auto at = given(without_lock([&] { return s.at(frame, progress); }));
    const auto n = static_cast<py::ssize_t>(at.moments.size());
    std::vector<double> source, speed, delay, places, turns, sizes;
    std::vector<std::uint8_t> shown;
    for (std::size_t i = 0; i < at.moments.size(); ++i) {
        const CopyMoment& m = at.moments[i];
        const Placement& p = at.places[i];
        source.push_back(m.source), speed.push_back(m.speed), delay.push_back(m.delay);
        shown.push_back(!m.has(mark_absent));
        const Imath::Quatd q = attitude_of(p);
        places.insert(places.end(), {p.position.x, p.position.y, p.position.z});
        turns.insert(turns.end(), {q.r, q.v.x, q.v.y, q.v.z});
        sizes.insert(sizes.end(), {p.size * p.stretch.x, p.size * p.stretch.y, p.size * p.stretch.z});
    }
    py::dict out;
    out["source_frames"] = own(std::move(source), {n});
    out["speeds"] = own(std::move(speed), {n});
    out["delays"] = own(std::move(delay), {n});
    out["shown"] = own(std::move(shown), {n}).attr("view")("bool");
    out["positions"] = own(std::move(places), {n, 3});
    out["orientations"] = own(std::move(turns), {n, 4});
    out["sizes"] = own(std::move(sizes), {n, 3});
    return out;
}

py::array_t<double> times(const OpenShot& s, const std::vector<double>& frames) {
    auto list = without_lock([&] { return s.times(frames); });
    return own(std::move(list), {static_cast<py::ssize_t>(frames.size()), static_cast<py::ssize_t>(s.show().copies())});
}

py::object copy_at(const OpenShot& s, std::int64_t number, double frame) {
    PythonProgress progress{py::none()};
    auto copy = std::make_shared<OpenShot::PosedCopy>(
        given(without_lock([&] { return s.copy_at(number - 1, frame, progress); })));
    if (!copy->pose) return py::none();
    return arrays_of(*copy->pose, copy->points, copy->normals, copy->corner_normals, copy->velocities, copy);
}

py::dict source_at(const OpenShot& s, std::uint64_t source, double frame) {
    PythonProgress progress{py::none()};
    const PosePtr pose = given(without_lock([&] { return s.source_at(source, frame, progress); }));
    return arrays_of(*pose, pose->points, pose->normals, pose->corner_normals, pose->velocities, pose);
}

using Floats = py::array_t<float, py::array::c_style | py::array::forcecast>;

std::uint64_t add_frames(OpenShot& s, const std::string& name, const Floats& points,
                         const std::vector<std::vector<std::uint32_t>>& faces, const std::string& rate,
                         const std::optional<Floats>& velocities) {
    auto wrong = [](std::string message) { raise(Error{ErrorCode::invalid, std::move(message)}); };
    if (points.ndim() != 3 || points.shape(2) != 3 || points.shape(0) < 1)
        wrong("points must have the shape (frames, points, 3)");
    if (velocities && (velocities->ndim() != 3 || velocities->shape(0) != points.shape(0) ||
                       velocities->shape(1) != points.shape(1) || velocities->shape(2) != 3))
        wrong("velocities must have the shape of points");
    auto shared = std::make_shared<Faces>();
    shared->starts.push_back(0);
    for (const auto& face : faces) {
        if (face.size() < 3) wrong("a face has at least three corners");
        shared->corners.insert(shared->corners.end(), face.begin(), face.end());
        shared->starts.push_back(static_cast<std::uint32_t>(shared->corners.size()));
    }
    const auto count = static_cast<std::size_t>(points.shape(1));
    std::vector<PosePtr> frames;
    for (py::ssize_t f = 0; f < points.shape(0); ++f) {
        auto pose = std::make_shared<Pose>();
        const auto* from = reinterpret_cast<const V3f*>(points.data(f, 0, 0));
        if (count > 0) pose->points.assign(from, from + count);
        for (const V3f& p : pose->points) {
            if (!std::isfinite(p.x) || !std::isfinite(p.y) || !std::isfinite(p.z))
                wrong("frame " + std::to_string(f) + " has a point that is not finite");
        }
        if (velocities && count > 0) {
            const auto* v = reinterpret_cast<const V3f*>(velocities->data(f, 0, 0));
            pose->velocities.assign(v, v + count);
        }
        pose->faces = shared;
        frames.push_back(std::move(pose));
    }
    return given(s.add_frames(name, std::move(frames), given(parse_rate(rate)), velocities.has_value()));
}

py::list check_all(const OpenShot& s, bool crowding, const py::object& report) {
    PythonProgress progress(report);
    const Report found = given(without_lock([&] { return check(s.show(), progress, {crowding}); }));
    py::list out;
    auto add = [&](const std::vector<Finding>& list, bool ignored) {
        for (const Finding& f : list) {
            py::dict one;
            std::vector<std::int64_t> copies;
            for (const std::int64_t c : f.copies) copies.push_back(c + 1);
            one["kind"] = to_text(f.kind), one["words"] = f.words, one["copies"] = copies;
            one["frame"] = f.frame, one["key"] = f.key, one["ignored"] = ignored;
            out.append(one);
        }
    };
    add(found.findings, false), add(found.ignored, true);
    return out;
}

WrittenAs form_of(const std::string& up, const std::string& unit, bool velocities, bool attributes) {
    const auto metres = unit_called(unit);
    if ((up != "y" && up != "z") || !metres)
        raise(Error{ErrorCode::invalid, "up is \"y\" or \"z\", and unit m, dm, cm, mm, in, ft or a number of metres"}
                  .advise("use one of them"));
    return {up == "z", *metres, velocities, attributes};
}

HandoffOrder order_of(const OpenShot& s, const std::string& output, const std::string& folder, const std::string& name,
                      const py::object& frames, const std::string& as, const std::string& existing,
                      std::uint64_t source, int poses_per_frame, double tolerance, const std::string& chunk,
                      const WrittenAs& form) {
    HandoffOrder order{output, as.empty() ? std::string() : "." + as, folder, name, {s.project().settings.range, 1}};
    if (!frames.is_none()) {
        const auto list = frames.cast<std::vector<std::int64_t>>();
        if (list.size() < 2 || list.size() > 3)
            raise(Error{ErrorCode::invalid, "frames are (first, last) or (first, last, step)"}.advise(
                "give two or three numbers"));
        order.frames = {{list[0], list[1]}, list.size() == 3 ? list[2] : 1};
    }
    for (const HandoffOutput& o : outputs()) {
        if (o.word == output && order.ending.empty()) order.ending = o.endings.front();
    }
    if (existing == "resume") {
        order.existing = WhatIsThere::resume;
    } else if (existing == "replace") {
        order.existing = WhatIsThere::replace;
    } else if (existing != "refuse") {
        raise(Error{ErrorCode::invalid, "existing is \"refuse\", \"resume\" or \"replace\""}.advise("use one of them"));
    }
    order.source = SourceId(source), order.poses_per_frame = poses_per_frame, order.tolerance = tolerance;
    order.as = form;
    if (!chunk.empty()) order.share = given(parse_share(chunk));
    return order;
}

py::dict figures(const std::vector<std::pair<std::string, double>>& numbers) {
    py::dict out;
    for (const auto& [name, value] : numbers) out[py::str(name)] = value;
    return out;
}

py::dict planned(const OpenShot& s, const HandoffOrder& order, const py::object& report) {
    PythonProgress progress(report);
    const HandoffPlan p = given(without_lock([&] { return plan_handoff(s.input(), order, progress); }));
    py::dict out;
    out["files"] = p.files, out["bytes"] = p.bytes, out["free"] = p.free, out["existing"] = p.existing;
    out["words"] = p.words, out["left_out"] = p.left_out, out["figures"] = figures(p.numbers);
    return out;
}

py::dict handed_off(const OpenShot& s, const HandoffOrder& order, const py::object& report) {
    PythonProgress progress(report);
    const HandoffDone d = given(without_lock([&] { return hand_off(s.input(), order, progress); }));
    py::dict out;
    out["files"] = d.files, out["bytes"] = d.bytes, out["kept"] = d.kept, out["manifest"] = d.manifest;
    out["words"] = d.words, out["left_out"] = d.left_out, out["figures"] = figures(d.numbers);
    return out;
}

// What opens, tells about and changes a project.
py::class_<OpenShot> define_project(py::module_& m) {
    py::class_<OpenShot> project(m, "Project");
    project.def_property_readonly("path", &OpenShot::path)
        .def_property_readonly("copies", [](const OpenShot& s) { return s.show().copies(); })
        .def_property_readonly("missing",
                               [](const OpenShot& s) {
                                   std::vector<std::string> out;
                                   for (const auto& one : s.missing()) out.push_back(describe(one.error));
                                   return out;
                               })
        .def_property(
            "data", [](const OpenShot& s) { return loads(s.text()); },
            [](OpenShot& s, const py::object& data) {
                const std::string text = dumps(data);
                PythonProgress progress{py::none()};
                done(without_lock([&] { return s.set_text(text, progress); }));
            })
        .def(
            "add_source",
            [](OpenShot& s, const std::string& path, const std::string& name, const py::dict& choices) {
                std::vector<std::string> words;
                for (const auto& [what, option] : choices)
                    words.push_back(py::str(what).cast<std::string>() + "=" + py::str(option).cast<std::string>());
                PythonProgress progress{py::none()};
                return given(without_lock([&] { return s.add_source(path, name, words, progress); }));
            },
            py::arg("path"), py::arg("name") = "", py::arg("choices") = py::dict())
        .def("add_frames", &add_frames, py::arg("name"), py::arg("points"), py::arg("faces"), py::arg("rate") = "24",
             py::arg("velocities") = py::none())
        .def(
            "save", [](OpenShot& s, const std::string& path, bool replace) { done(s.save(path, replace)); },
            py::arg("path"), py::arg("replace") = false)
        .def("times", &times, py::arg("frames"))
        .def("state", &state, py::arg("frame"))
        .def("copy_at", &copy_at, py::arg("copy"), py::arg("frame"))
        .def("source_at", &source_at, py::arg("source"), py::arg("source_frame"))
        .def("check", &check_all, py::arg("crowding") = false, py::arg("progress") = py::none());
    return project;
}

// Plans and hand-offs take the same words.
void define_orders(py::class_<OpenShot>& project) {
    auto define = [&](const char* method, auto work) {
        project.def(
            method,
            [work](const OpenShot& s, const std::string& output, const std::string& folder, const std::string& name,
                   const py::object& frames, const std::string& as, const std::string& existing, std::uint64_t source,
                   int poses_per_frame, double tolerance, const std::string& chunk, const std::string& up,
                   const std::string& unit, bool velocities, bool attributes, bool each_copy, int shutter_samples,
                   double shutter, const py::object& progress) {
                HandoffOrder order = order_of(s, output, folder, name, frames, as, existing, source, poses_per_frame,
                                              tolerance, chunk, form_of(up, unit, velocities, attributes));
                order.each_copy = each_copy;
                order.frames.shutter = {shutter_samples, shutter};
                return work(s, order, progress);
            },
            py::arg("output"), py::arg("folder"), py::kw_only(), py::arg("name") = "copies",
            py::arg("frames") = py::none(), py::arg("kind") = "", py::arg("existing") = "refuse", py::arg("source") = 0,
            py::arg("poses_per_frame") = 8, py::arg("tolerance") = 0.001, py::arg("chunk") = "", py::arg("up") = "y",
            py::arg("unit") = "m", py::arg("velocities") = true, py::arg("attributes") = true,
            py::arg("each_copy") = false, py::arg("shutter_samples") = 1, py::arg("shutter") = 180.0,
            py::arg("progress") = py::none());
    };
    define("plan", &planned);
    define("hand_off", &handed_off);
}

void define_functions(py::module_& m) {
    m.def(
        "open",
        [](const std::string& path, const py::object& report) {
            PythonProgress progress(report);
            return given(without_lock([&] { return OpenShot::open(path, progress); }));
        },
        py::arg("path"), py::arg("progress") = py::none());
    m.def(
        "new",
        [](const std::string& name, const std::string& rate, std::pair<std::int64_t, std::int64_t> range) {
            return given(OpenShot::create(name, rate, {range.first, range.second}));
        },
        py::arg("name") = "", py::arg("rate") = "24", py::arg("range") = std::pair<std::int64_t, std::int64_t>(1, 240));
    m.def(
        "verify",
        [](const std::string& manifest, const py::object& report) {
            PythonProgress progress(report);
            return given(without_lock([&] { return verify_handoff(manifest, progress); })).files;
        },
        py::arg("manifest"), py::arg("progress") = py::none());
    m.def("outputs", [] {
        py::dict out;
        for (const HandoffOutput& o : outputs()) {
            std::vector<std::string> kinds;
            for (const char* e : o.endings) kinds.emplace_back(e + 1);
            out[py::str(o.word)] = kinds;
        }
        return out;
    });
}

} // namespace

PYBIND11_MODULE(_core, m) {
    error_type = py::reinterpret_steal<py::object>(PyErr_NewException("garland.Error", PyExc_Exception, nullptr));
    m.attr("Error") = error_type;
    auto project = define_project(m);
    define_orders(project);
    define_functions(m);
}
