// glTF files for tests, apart from them: the meta-object compiler stumbles over them.
#pragma once

inline const char* const old_gltf_text = R"({"asset": {"version": "1.0"}, "meshes": {"a": {}}})";

// One triangle whose morph target has no bytes; pointers to its node, to the node's visibility and to a colour.
inline const char* const pointer_gltf_text = R"({"asset": {"version": "2.0"},
    "extensionsRequired": ["KHR_animation_pointer", "KHR_materials_ior"],
    "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
    "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "targets": [{"POSITION": 1}]}], "weights": [1]}],
    "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0],
        "max": [1, 1, 0]},
                  {"componentType": 5126, "count": 3, "type": "VEC3"},
                  {"bufferView": 1, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0], "max": [1]},
                  {"bufferView": 2, "componentType": 5126, "count": 2, "type": "VEC3"},
                  {"bufferView": 3, "componentType": 5121, "count": 2, "type": "SCALAR"}],
    "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 8},
                    {"buffer": 0, "byteOffset": 44, "byteLength": 24},
                    {"buffer": 0, "byteOffset": 68, "byteLength": 2}],
    "buffers": [{"byteLength": 70, "uri": "data:application/octet-stream;base64,BYTES"}],
    "animations": [{"samplers": [{"input": 2, "output": 3}, {"input": 2, "output": 4, "interpolation": "STEP"}],
        "channels": [{"sampler": 0, "target": {"path": "pointer",
            "extensions": {"KHR_animation_pointer": {"pointer": "/nodes/0/translation"}}}},
                     {"sampler": 1, "target": {"path": "pointer",
                         "extensions": {"KHR_animation_pointer": {
                             "pointer": "/nodes/0/extensions/KHR_node_visibility/visible"}}}},
                     {"sampler": 0, "target": {"path": "pointer",
                         "extensions": {"KHR_animation_pointer": {"pointer": "/materials/0/emissiveFactor"}}}}]}]})";
