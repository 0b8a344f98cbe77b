#include "render/picture_file.h"

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfIO.h>
#include <ImfMultiPartOutputFile.h>
#include <ImfOutputPart.h>
#include <ImfPartType.h>
#include <ImfStandardAttributes.h>
#include <bit>
#include <cstring>
#include <png.h>

namespace garland {

namespace {

Result<void> write_bytes(const std::string& path, const std::vector<char>& bytes, Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    file.write(bytes.data(), bytes.size());
    return file.commit();
}

// A file in memory, for the library to seek in.
class MemoryStream final : public Imf::OStream {
  public:
    MemoryStream() : OStream("picture") {}
    void write(const char c[], int n) override {
        const auto count = static_cast<std::size_t>(n);
        if (bytes.size() < at_ + count) bytes.resize(at_ + count);
        std::memcpy(bytes.data() + at_, c, count);
        at_ += count;
    }
    std::uint64_t tellp() override { return at_; }
    void seekp(std::uint64_t pos) override { at_ = pos; }
    std::vector<char> bytes;

  private:
    std::size_t at_ = 0;
};

struct ExrPart {
    Imf::Header header;
    Imf::FrameBuffer buffer;
};

Imf::Header header_of(const Picture& p, const char* name, Rate rate) {
    Imf::Header h(p.width, p.height);
    h.setName(name);
    h.setType(Imf::SCANLINEIMAGE);
    h.compression() = Imf::ZIP_COMPRESSION;
    if (rate.num <= INT32_MAX && rate.den <= INT32_MAX)
        Imf::addFramesPerSecond(h, Imf::Rational(static_cast<int>(rate.num), static_cast<unsigned>(rate.den)));
    return h;
}

// A channel of values that lie `width` apart from each other in a list.
template <class T>
void add_channel(ExrPart& part, const char* name, Imf::PixelType type, const T* first, std::size_t width, int row) {
    part.header.channels().insert(name, Imf::Channel(type));
    part.buffer.insert(name, Imf::Slice(type, reinterpret_cast<char*>(const_cast<T*>(first)), sizeof(T) * width,
                                        sizeof(T) * width * static_cast<std::size_t>(row)));
}

} // namespace

namespace {

// values: four a pixel, as shown_8() or shown_16() gives them.
template <class T>
std::vector<char> packed_png(const std::vector<T>& values, int width, int height, bool alpha) {
    constexpr int bits = 8 * static_cast<int>(sizeof(T));
    std::vector<char> out;
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png_create_info_struct(png);
    const int channels = alpha ? 4 : 3;
    // Rows are packed here, before the library's jumps can leave anything behind.
    const std::size_t row = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels) * sizeof(T);
    std::vector<png_byte> packed(row * static_cast<std::size_t>(height));
    std::size_t at = 0;
    for (std::size_t i = 0; i < values.size(); i += 4) {
        for (std::size_t c = 0; c < static_cast<std::size_t>(channels); ++c) {
            if (sizeof(T) == 2) packed[at++] = static_cast<png_byte>(values[i + c] >> 8);
            packed[at++] = static_cast<png_byte>(values[i + c] & 0xff);
        }
    }
    png_set_write_fn(
        png, &out,
        [](png_structp w, png_bytep data, png_size_t count) {
            auto* bytes = static_cast<std::vector<char>*>(png_get_io_ptr(w));
            bytes->insert(bytes->end(), data, data + count);
        },
        nullptr);
    png_set_IHDR(png, info, static_cast<png_uint_32>(width), static_cast<png_uint_32>(height), bits,
                 alpha ? PNG_COLOR_TYPE_RGBA : PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT,
                 PNG_FILTER_TYPE_DEFAULT);
    png_set_sRGB(png, info, PNG_sRGB_INTENT_PERCEPTUAL);
    png_set_compression_level(png, 4);
    png_write_info(png, info);
    for (int y = 0; y < height; ++y) png_write_row(png, &packed[row * static_cast<std::size_t>(y)]);
    png_write_end(png, info);
    png_destroy_write_struct(&png, &info);
    return out;
}

} // namespace

std::vector<char> png_bytes(const Picture& p, int bits, bool alpha, double exposure) {
    if (bits == 16) return packed_png(shown_16(p, exposure), p.width, p.height, alpha);
    return packed_png(shown_8(p, exposure), p.width, p.height, alpha);
}

Result<void> write_png(const std::string& path, const Picture& picture, int bits, bool alpha, double exposure,
                       Existing existing) {
    return write_bytes(path, png_bytes(picture, bits, alpha, exposure), existing);
}

Result<void> write_png(const std::string& path, const std::vector<std::uint8_t>& shown, int width, int height,
                       Existing existing) {
    return write_bytes(path, packed_png(shown, width, height, true), existing);
}

Result<void> write_exr(const std::string& path, const Picture& p, bool half, Rate rate, Existing existing) {
    std::vector<ExrPart> parts;
    std::vector<Imath::half> halves;
    ExrPart& colour = parts.emplace_back(ExrPart{header_of(p, "colour", rate), {}});
    const char* names[] = {"R", "G", "B", "A"};
    if (half) {
        halves.assign(p.rgba.begin(), p.rgba.end());
        for (std::size_t k = 0; k < 4; ++k) add_channel(colour, names[k], Imf::HALF, &halves[k], 4, p.width);
    } else {
        for (std::size_t k = 0; k < 4; ++k) add_channel(colour, names[k], Imf::FLOAT, &p.rgba[k], 4, p.width);
    }
    if (!p.depth.empty()) {
        ExrPart depth{header_of(p, "depth", rate), {}}, motion{header_of(p, "motion", rate), {}},
            normal{header_of(p, "normal", rate), {}}, numbers{header_of(p, "numbers", rate), {}};
        add_channel(depth, "Z", Imf::FLOAT, p.depth.data(), 1, p.width);
        add_channel(motion, "motion.X", Imf::FLOAT, p.motion.data(), 2, p.width);
        add_channel(motion, "motion.Y", Imf::FLOAT, p.motion.data() + 1, 2, p.width);
        const char* axes[] = {"normal.X", "normal.Y", "normal.Z"};
        for (std::size_t k = 0; k < 3; ++k) add_channel(normal, axes[k], Imf::FLOAT, p.normal.data() + k, 3, p.width);
        add_channel(numbers, "copy", Imf::UINT, p.copy.data(), 1, p.width);
        add_channel(numbers, "source", Imf::UINT, p.source.data(), 1, p.width);
        add_channel(numbers, "source_frame", Imf::FLOAT, p.source_frame.data(), 1, p.width);
        for (ExrPart* part : {&depth, &motion, &normal, &numbers}) parts.push_back(std::move(*part));
    }
    MemoryStream stream;
    try {
        std::vector<Imf::Header> headers;
        for (const ExrPart& part : parts) headers.push_back(part.header);
        Imf::MultiPartOutputFile file(stream, headers.data(), static_cast<int>(headers.size()), false, 0);
        for (std::size_t i = 0; i < parts.size(); ++i) {
            Imf::OutputPart out(file, static_cast<int>(i));
            out.setFrameBuffer(parts[i].buffer);
            out.writePixels(p.height);
        }
    } catch (const std::exception& e) {
        return fail(Error{ErrorCode::unreadable, std::string("the picture could not be packed: ") + e.what()}.at(path));
    }
    return write_bytes(path, stream.bytes, existing);
}

} // namespace garland
