#!/usr/bin/python3
"""Sounds by independent writers (Python's wave module, ffmpeg), and what ffmpeg reads from them.

usage: write_sounds.py FOLDER       prints for every file its rate, channels, samples and 64 samples of channel 1
"""
import json
import math
import os
import struct
import subprocess
import sys
import wave


def tone(rate, channels, seconds, width, path):
    """Another frequency in every channel; whole numbers of `width` bytes."""
    top = (1 << (8 * width - 1)) - 1
    frames = bytearray()
    for k in range(int(rate * seconds)):
        for c in range(channels):
            v = int(0.6 * top * math.sin(2 * math.pi * 220 * (c + 1) * k / rate))
            frames += v.to_bytes(width, "little", signed=True)
    with wave.open(path, "wb") as out:
        out.setnchannels(channels)
        out.setsampwidth(width)
        out.setframerate(rate)
        out.writeframes(bytes(frames))


def decoded(path):
    """As ffmpeg reads it: 32-bit floats, all channels."""
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", path, "-f", "f32le", "-"], check=True, capture_output=True).stdout
    info = subprocess.run(["ffprobe", "-v", "error", "-show_entries", "stream=sample_rate,channels", "-of", "json", path], check=True, capture_output=True)
    stream = json.loads(info.stdout)["streams"][0]
    channels = int(stream["channels"])
    count = len(raw) // 4 // channels
    chosen = [int(count * (k + 0.5) / 64) for k in range(64)]
    values = [struct.unpack_from("<f", raw, 4 * channels * k)[0] for k in chosen]
    return {"rate": int(stream["sample_rate"]), "channels": channels, "samples": count, "chosen": [[k, v] for k, v in zip(chosen, values)]}


def main():
    folder = sys.argv[1]
    out = {}
    path = lambda name: os.path.join(folder, name)
    tone(44100, 1, 2, 2, path("mono.wav"))
    tone(48000, 2, 1, 3, path("stereo24.wav"))
    tone(192000, 1, 0.5, 4, path("fast32.wav"))
    tone(48000, 8, 0.5, 2, path("eight.wav"))
    for name, options in (("float.wav", ["-c:a", "pcm_f32le"]), ("mono.flac", []), ("mono.ogg", ["-c:a", "libvorbis"]), ("mono.mp3", ["-c:a", "libmp3lame"]), ("mono.aiff", [])):
        subprocess.run(["ffmpeg", "-v", "error", "-y", "-i", path("mono.wav")] + options + [path(name)], check=True)
    # five minutes, as a tune has
    subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "lavfi", "-i", "sine=frequency=440:duration=300:sample_rate=44100", path("long.flac")], check=True)
    for name in sorted(os.listdir(folder)):
        out[name] = decoded(path(name))
    print(json.dumps(out))


main()
