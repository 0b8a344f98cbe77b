#include "render/movie.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/channel_layout.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

namespace garland {

namespace {

constexpr int sound_rate = 48'000;

struct Codec {
    const char *ending, *video, *sound;
    AVPixelFormat plain, with_alpha;
};
const Codec& codec_of(MovieKind kind) {
    static const Codec codecs[] = {
        {"mp4", "libx264", "aac", AV_PIX_FMT_YUV420P, AV_PIX_FMT_NONE},
        {"webm", "libvpx-vp9", "libopus", AV_PIX_FMT_YUV420P, AV_PIX_FMT_YUVA420P},
        {"mov", "prores_ks", "pcm_s16le", AV_PIX_FMT_YUV444P10LE, AV_PIX_FMT_YUVA444P10LE},
        {"matroska", "ffv1", "flac", AV_PIX_FMT_BGR0, AV_PIX_FMT_BGRA},
    };
    return codecs[static_cast<int>(kind)];
}

std::string words_of(int code) {
    char text[AV_ERROR_MAX_STRING_SIZE] = {};
    av_strerror(code, text, sizeof text);
    return text;
}

} // namespace

bool has_alpha(MovieKind kind) {
    return codec_of(kind).with_alpha != AV_PIX_FMT_NONE;
}

const char* to_text(MovieKind kind) {
    switch (kind) {
    case MovieKind::mp4: return "MP4 (H.264)";
    case MovieKind::webm: return "WebM (VP9)";
    case MovieKind::mov: return "MOV (ProRes 4444)";
    case MovieKind::mkv: return "MKV (FFV1, lossless)";
    }
    return "";
}

const char* codec_word(MovieKind kind) {
    switch (kind) {
    case MovieKind::mp4: return "h264";
    case MovieKind::webm: return "vp9";
    case MovieKind::mov: return "prores";
    case MovieKind::mkv: return "ffv1";
    }
    return "";
}

Result<void> can_make(MovieKind kind, int width, int height, bool alpha) {
    if (!avcodec_find_encoder_by_name(codec_of(kind).video))
        return fail(
            Error{ErrorCode::unsupported, fmt::format("this machine has no encoder for {}", to_text(kind))}.advise(
                "install the package libavcodec59, or choose another movie format"));
    if (alpha && !has_alpha(kind))
        return fail(Error{ErrorCode::unsupported, fmt::format("{} has no transparency", to_text(kind))}.advise(
            "choose WebM, MOV or MKV, or pictures"));
    const bool even = kind == MovieKind::mp4 || kind == MovieKind::webm;
    if (even && (width % 2 || height % 2))
        return fail(Error{ErrorCode::invalid,
                          fmt::format("{} needs an even width and height, not {} × {}", to_text(kind), width, height)}
                        .advise(fmt::format("use {} × {}", width + width % 2, height + height % 2)));
    return {};
}

struct MovieWriter::Inside {
    Order order;
    std::unique_ptr<AtomicFile> file;
    AVFormatContext* format = nullptr;
    AVIOContext* io = nullptr;
    AVCodecContext *video = nullptr, *sound = nullptr;
    AVStream *video_stream = nullptr, *sound_stream = nullptr;
    AVFrame *frame = nullptr, *heard = nullptr;
    AVPacket* packet = nullptr;
    SwsContext* scale = nullptr;
    std::int64_t pictures = 0;
    std::size_t samples = 0;       // given to the encoder so far
    std::uint64_t at = 0, end = 0; // in the file

    ~Inside() {
        sws_freeContext(scale);
        av_packet_free(&packet);
        av_frame_free(&frame);
        av_frame_free(&heard);
        avcodec_free_context(&video);
        avcodec_free_context(&sound);
        if (io) {
            av_freep(&io->buffer);
            avio_context_free(&io);
        }
        avformat_free_context(format);
    }

    Result<void> wrong(const char* what, int code) const {
        return fail(Error{ErrorCode::unreadable, fmt::format("{}: {}", what, words_of(code))}.at(order.path));
    }

    static int write_packet(void* self, std::uint8_t* data, int count) {
        auto* in = static_cast<Inside*>(self);
        in->file->write(data, static_cast<std::size_t>(count));
        in->at += static_cast<std::uint64_t>(count);
        in->end = std::max(in->end, in->at);
        return count;
    }
    static std::int64_t seek(void* self, std::int64_t offset, int whence) {
        auto* in = static_cast<Inside*>(self);
        if (whence & AVSEEK_SIZE) return static_cast<std::int64_t>(in->end);
        const std::int64_t base = whence == SEEK_CUR   ? static_cast<std::int64_t>(in->at)
                                  : whence == SEEK_END ? static_cast<std::int64_t>(in->end)
                                                       : 0;
        in->at = static_cast<std::uint64_t>(base + offset);
        in->file->seek(in->at);
        return base + offset;
    }

    Result<void> open_video(bool global_header) {
        const Codec& c = codec_of(order.kind);
        const AVCodec* codec = avcodec_find_encoder_by_name(c.video);
        video = avcodec_alloc_context3(codec);
        video->width = order.width, video->height = order.height;
        video->time_base = {static_cast<int>(order.rate.den), static_cast<int>(order.rate.num)};
        video->framerate = {static_cast<int>(order.rate.num), static_cast<int>(order.rate.den)};
        video->pix_fmt = order.alpha ? c.with_alpha : c.plain;
        video->thread_count = 1; // the same bytes on every machine
        video->gop_size = 24;
        video->flags |= AV_CODEC_FLAG_BITEXACT;
        if (order.kind != MovieKind::mkv) {
            video->color_range = AVCOL_RANGE_MPEG;
            video->colorspace = AVCOL_SPC_BT709;
        }
        video->color_primaries = AVCOL_PRI_BT709;
        video->color_trc = AVCOL_TRC_IEC61966_2_1;
        if (global_header) video->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        switch (order.kind) {
        case MovieKind::mp4:
            av_opt_set(video->priv_data, "crf", "17", 0);
            av_opt_set(video->priv_data, "preset", "fast", 0);
            // That tree reads memory that nobody has set (libx264 164): the same pictures gave other bytes each time.
            av_opt_set(video->priv_data, "x264-params", "mbtree=0", 0);
            break;
        case MovieKind::webm:
            av_opt_set(video->priv_data, "crf", "24", 0);
            av_opt_set(video->priv_data, "cpu-used", "4", 0);
            av_opt_set(video->priv_data, "auto-alt-ref", "0", 0); // alpha asks for it
            break;
        case MovieKind::mov: av_opt_set(video->priv_data, "profile", "4444", 0); break;
        case MovieKind::mkv:
            video->level = 3;
            video->gop_size = 1;
            break;
        }
        if (const int r = avcodec_open2(video, codec, nullptr); r < 0) return wrong("the encoder does not start", r);
        video_stream = avformat_new_stream(format, nullptr);
        video_stream->time_base = video->time_base;
        video_stream->avg_frame_rate = video_stream->r_frame_rate = video->framerate;
        avcodec_parameters_from_context(video_stream->codecpar, video);
        frame = av_frame_alloc();
        frame->format = video->pix_fmt;
        frame->width = order.width, frame->height = order.height;
        av_frame_get_buffer(frame, 0);
        scale = sws_getContext(order.width, order.height, AV_PIX_FMT_RGBA, order.width, order.height, video->pix_fmt,
                               SWS_BICUBIC | SWS_ACCURATE_RND | SWS_BITEXACT | SWS_FULL_CHR_H_INT, nullptr, nullptr,
                               nullptr);
        if (!scale) return wrong("pictures cannot be turned into the movie's colours", AVERROR(EINVAL));
        if (order.kind != MovieKind::mkv) {
            const int* table = sws_getCoefficients(SWS_CS_ITU709);
            sws_setColorspaceDetails(scale, table, 1, table, 0, 0, 1 << 16, 1 << 16);
        }
        return {};
    }

    Result<void> open_sound(bool global_header) {
        if (order.sound.empty()) return {};
        const AVCodec* codec = avcodec_find_encoder_by_name(codec_of(order.kind).sound);
        if (!codec)
            return fail(Error{ErrorCode::unsupported,
                              fmt::format("this machine has no encoder for the sound of {}", to_text(order.kind))}
                            .advise("leave the sound out, or choose another movie format"));
        sound = avcodec_alloc_context3(codec);
        sound->sample_rate = sound_rate;
        sound->bit_rate = 160'000;
        av_channel_layout_default(&sound->ch_layout, 1);
        sound->sample_fmt = codec->sample_fmts ? codec->sample_fmts[0] : AV_SAMPLE_FMT_S16;
        sound->time_base = {1, sound_rate};
        sound->flags |= AV_CODEC_FLAG_BITEXACT;
        sound->thread_count = 1;
        if (global_header) sound->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        if (const int r = avcodec_open2(sound, codec, nullptr); r < 0)
            return wrong("the sound's encoder does not start", r);
        sound_stream = avformat_new_stream(format, nullptr);
        sound_stream->time_base = sound->time_base;
        avcodec_parameters_from_context(sound_stream->codecpar, sound);
        heard = av_frame_alloc();
        return {};
    }

    Result<void> send(AVCodecContext* codec, AVStream* stream, const AVFrame* one) {
        int r = avcodec_send_frame(codec, one);
        while (r >= 0) {
            r = avcodec_receive_packet(codec, packet);
            if (r == AVERROR(EAGAIN) || r == AVERROR_EOF) return {};
            if (r < 0) break;
            packet->stream_index = stream->index;
            av_packet_rescale_ts(packet, codec->time_base, stream->time_base);
            if (codec == video && packet->duration == 0)
                packet->duration = av_rescale_q(1, codec->time_base, stream->time_base);
            r = av_interleaved_write_frame(format, packet);
        }
        return wrong("a picture cannot be written", r);
    }

    // Sound up to a moment, in samples; all: what is left too.
    Result<void> send_sound(std::size_t up_to, bool all) {
        if (!sound) return {};
        const std::size_t step = sound->frame_size > 0 ? static_cast<std::size_t>(sound->frame_size) : 1024;
        up_to = std::min(up_to, order.sound.size());
        while (samples < up_to && (all || samples + step <= up_to)) {
            const std::size_t count = std::min(step, up_to - samples);
            heard->nb_samples = static_cast<int>(count);
            heard->format = sound->sample_fmt;
            av_channel_layout_copy(&heard->ch_layout, &sound->ch_layout);
            heard->sample_rate = sound_rate;
            if (const int r = av_frame_get_buffer(heard, 0); r < 0) return wrong("sound cannot be written", r);
            for (std::size_t i = 0; i < count; ++i) {
                const float v = std::clamp(order.sound[samples + i], -1.0f, 1.0f);
                switch (sound->sample_fmt) {
                case AV_SAMPLE_FMT_FLT:
                case AV_SAMPLE_FMT_FLTP: reinterpret_cast<float*>(heard->data[0])[i] = v; break;
                default:
                    reinterpret_cast<std::int16_t*>(heard->data[0])[i] =
                        static_cast<std::int16_t>(std::lround(v * 32767));
                    break;
                }
            }
            heard->pts = static_cast<std::int64_t>(samples);
            samples += count;
            GARLAND_CHECK(send(sound, sound_stream, heard));
            av_frame_unref(heard);
        }
        return {};
    }
};

MovieWriter::MovieWriter() : in_(std::make_unique<Inside>()) {}
MovieWriter::~MovieWriter() = default;

Result<std::unique_ptr<MovieWriter>> MovieWriter::start(Order order) {
    GARLAND_CHECK(can_make(order.kind, order.width, order.height, order.alpha));
    av_log_set_level(AV_LOG_FATAL);
    if (order.rate.num > INT32_MAX || order.rate.den > INT32_MAX)
        return fail(Error{ErrorCode::invalid, "the output rate is too fine for a movie"}.advise(
            "use a rate like 24, 23.976 or 24000/1001"));
    std::unique_ptr<MovieWriter> out(new MovieWriter);
    Inside& in = *out->in_;
    GARLAND_TRY(file, AtomicFile::create(order.path, order.existing));
    in.file = std::make_unique<AtomicFile>(std::move(file));
    in.order = std::move(order);
    if (const int r = avformat_alloc_output_context2(&in.format, nullptr, codec_of(in.order.kind).ending, nullptr);
        r < 0)
        return tl::unexpected(in.wrong("the movie cannot be started", r).error());
    in.format->flags |= AVFMT_FLAG_BITEXACT;
    constexpr int buffer = 1 << 16;
    in.io = avio_alloc_context(static_cast<unsigned char*>(av_malloc(buffer)), buffer, 1, &in, nullptr,
                               &Inside::write_packet, &Inside::seek);
    in.format->pb = in.io;
    in.packet = av_packet_alloc();
    const bool global_header = in.format->oformat->flags & AVFMT_GLOBALHEADER;
    GARLAND_CHECK(in.open_video(global_header));
    GARLAND_CHECK(in.open_sound(global_header));
    if (in.order.alpha && in.order.kind == MovieKind::webm)
        av_dict_set(&in.video_stream->metadata, "alpha_mode", "1", 0);
    if (const int r = avformat_write_header(in.format, nullptr); r < 0)
        return tl::unexpected(in.wrong("the movie cannot be started", r).error());
    return out;
}

Result<void> MovieWriter::add(const std::vector<std::uint8_t>& shown) {
    Inside& in = *in_;
    if (shown.size() != static_cast<std::size_t>(in.order.width) * static_cast<std::size_t>(in.order.height) * 4)
        return fail(ErrorCode::invalid, "a picture of another size");
    if (const int r = av_frame_make_writable(in.frame); r < 0) return in.wrong("a picture cannot be written", r);
    const std::uint8_t* from[] = {shown.data()};
    const int stride[] = {in.order.width * 4};
    sws_scale(in.scale, from, stride, 0, in.order.height, in.frame->data, in.frame->linesize);
    in.frame->pts = in.pictures++;
    GARLAND_CHECK(in.send(in.video, in.video_stream, in.frame));
    const double seconds = in.order.rate.start_of(static_cast<double>(in.pictures)).value;
    return in.send_sound(static_cast<std::size_t>(std::llround(seconds * sound_rate)), false);
}

Result<void> MovieWriter::finish() {
    Inside& in = *in_;
    const double seconds = in.order.rate.start_of(static_cast<double>(in.pictures)).value;
    GARLAND_CHECK(in.send_sound(static_cast<std::size_t>(std::llround(seconds * sound_rate)), true));
    GARLAND_CHECK(in.send(in.video, in.video_stream, nullptr));
    if (in.sound) GARLAND_CHECK(in.send(in.sound, in.sound_stream, nullptr));
    if (const int r = av_write_trailer(in.format); r < 0) return in.wrong("the movie cannot be finished", r);
    avio_flush(in.io);
    return in.file->commit();
}

} // namespace garland
