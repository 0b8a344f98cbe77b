// The Scene's shaders, and the simple solids it draws in place of far copies. Included by scene_gpu.cpp only.
#pragma once

#include <cmath>
#include <cstdint>

namespace garland {

// Solids about the origin, one unit in every direction, for copies of a few pixels: a round one of 20 faces, and where
// there are very many, one of 8.
struct Solid {
    float places[18][3];
    std::uint8_t faces[20][3] = {{0, 11, 5},  {0, 5, 1},  {0, 1, 7},  {0, 7, 10}, {0, 10, 11}, {1, 5, 9}, {5, 11, 4},
                                 {11, 10, 2}, {10, 7, 6}, {7, 1, 8},  {3, 9, 4},  {3, 4, 2},   {3, 2, 6}, {3, 6, 8},
                                 {3, 8, 9},   {4, 9, 5},  {2, 4, 11}, {6, 2, 10}, {8, 6, 7},   {9, 8, 1}};
    std::uint8_t few[8][3] = {{12, 14, 16}, {14, 13, 16}, {13, 15, 16}, {15, 12, 16},
                              {14, 12, 17}, {13, 14, 17}, {15, 13, 17}, {12, 15, 17}};
    Solid() {
        const float t = 1.618034f, s = 1 / std::sqrt(1 + t * t);
        const float corners[12][3] = {{-1, t, 0},  {1, t, 0},  {-1, -t, 0}, {1, -t, 0}, {0, -1, t},  {0, 1, t},
                                      {0, -1, -t}, {0, 1, -t}, {t, 0, -1},  {t, 0, 1},  {-t, 0, -1}, {-t, 0, 1}};
        for (int i = 0; i < 12; ++i) {
            for (int k = 0; k < 3; ++k) places[i][k] = corners[i][k] * s;
        }
        for (int i = 0; i < 6; ++i) {
            for (int k = 0; k < 3; ++k) places[12 + i][k] = i / 2 == k ? (i % 2 ? -1.0f : 1.0f) : 0.0f;
        }
    }
};

inline const char* copies_vertex = R"(#version 330 core
layout(location=0) in vec3 place;
layout(location=1) in vec3 normal;
layout(location=2) in vec3 own;
layout(location=3) in vec3 position;
layout(location=4) in vec4 turn;
layout(location=5) in vec4 paint;
layout(location=6) in float selected;
layout(location=7) in vec3 size;
uniform mat4 matrix;
uniform float mirror;
uniform float dots; // pixels of one unit, one unit away; 0: triangles
out vec3 v_normal; out vec3 v_place; out vec3 v_colour; out float v_selected;
vec3 turned(vec3 p) { vec3 t = 2.0*cross(turn.xyz, p); return p + turn.w*t + cross(turn.xyz, t); }
void main() {
    vec3 world = turned(place * size) + position;
    world.y *= mirror;
    v_normal = turned(normal / size) * vec3(1.0, mirror, 1.0);
    v_normal = length(normal) > 0.1 ? normalize(v_normal) : vec3(0.0);
    v_place = world;
    v_colour = mix(own, paint.rgb, paint.a);
    v_selected = selected;
    gl_Position = matrix * vec4(world, 1.0);
    gl_PointSize = dots > 0.0 ? max(2.0 * dots * max(size.x, max(size.y, size.z)) / gl_Position.w, 1.5) : 4.0;
})";
inline const char* copies_fragment = R"(#version 330 core
in vec3 v_normal; in vec3 v_place; in vec3 v_colour; in float v_selected;
uniform vec3 eye; uniform vec3 rose; uniform vec3 sky; uniform float alpha; uniform float haze;
out vec4 colour;
void main() {
    vec3 to_eye = normalize(eye - v_place);
    vec3 n = length(v_normal) > 0.1 ? normalize(v_normal) : to_eye;
    if (dot(n, to_eye) < 0.0) n = -n;
    float key = max(dot(n, normalize(vec3(0.45, 0.75, 0.55))), 0.0);
    float above = 0.5 + 0.5 * n.y;
    float facing = max(dot(n, to_eye), 0.0);
    vec3 lit = v_colour * (0.40 + 0.18 * above + 0.34 * key + 0.16 * facing);
    float rim = pow(1.0 - facing, 2.0);
    lit = mix(lit, rose, v_selected * (0.25 + 0.75 * smoothstep(0.15, 0.6, rim)));
    float far = 1.0 - exp(-haze * distance(eye, v_place));
    colour = vec4(mix(lit, sky, far * 0.75), alpha);
})";
// Particles: points that are shaded as the balls they stand for.
inline const char* dots_vertex = R"(#version 330 core
layout(location=0) in vec3 place;
layout(location=1) in float radius;
layout(location=2) in vec3 own;
layout(location=3) in vec3 position;
layout(location=4) in vec4 turn;
layout(location=5) in vec4 paint;
layout(location=6) in float selected;
layout(location=7) in vec3 size;
uniform mat4 matrix;
uniform float mirror;
uniform float pixels; // of one unit, one unit away
uniform float wider;  // where only some are drawn, these are larger
out vec3 v_place; out vec3 v_colour; out float v_selected; out float v_pixels;
vec3 turned(vec3 p) { vec3 t = 2.0*cross(turn.xyz, p); return p + turn.w*t + cross(turn.xyz, t); }
void main() {
    vec3 world = turned(place * size) + position;
    world.y *= mirror;
    v_place = world;
    v_colour = mix(own, paint.rgb, paint.a);
    v_selected = selected;
    gl_Position = matrix * vec4(world, 1.0);
    v_pixels = max(2.0 * radius * wider * max(size.x, max(size.y, size.z)) * pixels / gl_Position.w, 1.0);
    gl_PointSize = v_pixels;
})";
inline const char* dots_fragment = R"(#version 330 core
in vec3 v_place; in vec3 v_colour; in float v_selected; in float v_pixels;
uniform vec3 eye; uniform vec3 rose; uniform vec3 sky; uniform float alpha; uniform float haze;
uniform vec3 right; uniform vec3 up;
out vec4 colour;
void main() {
    vec2 at = gl_PointCoord * 2.0 - 1.0;
    float out_of = dot(at, at);
    float ball = clamp((v_pixels - 1.5) / 2.0, 0.0, 1.0); // a dot of a pixel is flat and whole; a larger one is round
    if (out_of > 1.0 && v_pixels > 1.5) discard;
    vec3 n = normalize((right * at.x - up * at.y) * ball + cross(right, up) * sqrt(max(1.0 - out_of * ball, 0.0)));
    vec3 to_eye = normalize(eye - v_place);
    float key = max(dot(n, normalize(vec3(0.45, 0.75, 0.55))), 0.0);
    float above = 0.5 + 0.5 * n.y;
    float facing = max(dot(n, to_eye), 0.0);
    vec3 lit = v_colour * (0.40 + 0.18 * above + 0.34 * key + 0.16 * facing);
    lit = mix(lit, rose, v_selected * 0.6);
    float far = 1.0 - exp(-haze * distance(eye, v_place));
    colour = vec4(mix(lit, sky, far * 0.75), alpha);
})";
inline const char* floor_vertex = R"(#version 330 core
layout(location=0) in vec3 place;
uniform mat4 matrix; uniform vec3 middle; uniform float reach;
out vec3 v_place;
void main() { v_place = middle + place * reach; gl_Position = matrix * vec4(v_place, 1.0); })";
inline const char* floor_fragment = R"(#version 330 core
in vec3 v_place;
uniform vec3 eye; uniform vec3 floor_colour; uniform vec3 line_colour; uniform vec3 sky; uniform float cell;
uniform float haze;
out vec4 colour;
float grid(float size) {
    vec2 p = v_place.xz / size, w = fwidth(p);
    vec2 d = abs(fract(p - 0.5) - 0.5) / max(w, vec2(1e-6));
    float fade = clamp(1.0 - max(w.x, w.y) * 2.5, 0.0, 1.0);
    return (1.0 - clamp(min(d.x, d.y), 0.0, 1.0)) * fade;
}
void main() {
    float far = 1.0 - exp(-haze * distance(eye, v_place));
    vec3 c = mix(floor_colour, line_colour, max(grid(cell) * 0.35, grid(cell * 5.0) * 0.7));
    colour = vec4(mix(c, sky, far), 1.0);
})";
inline const char* lines_vertex = R"(#version 330 core
layout(location=0) in vec3 place;
uniform mat4 matrix;
void main() { gl_Position = matrix * vec4(place, 1.0); })";
inline const char* lines_fragment = R"(#version 330 core
uniform vec3 paint;
out vec4 colour;
void main() { colour = vec4(paint, 1.0); })";

inline const char* pattern_vertex = R"(#version 330 core
layout(location=0) in vec3 place;
layout(location=1) in vec2 across;
uniform mat4 matrix;
out vec2 v_across;
void main() { v_across = across; gl_Position = matrix * vec4(place, 1.0); })";
inline const char* pattern_fragment = R"(#version 330 core
in vec2 v_across;
uniform sampler2D pattern;
out vec4 colour;
void main() { colour = texture(pattern, v_across); })";

} // namespace garland
