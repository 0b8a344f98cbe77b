// Layers for tests, apart from them: the meta-object compiler stumbles over them.
#pragma once

inline const char* const moving_mesh_text = R"(#usda 1.0
(
    doc = """three lines
    of # text ) }
    """
    endTimeCode = 4
    metersPerUnit = 0.01
    timeCodesPerSecond = 25
    upAxis = "Z"
)
# a lantern's skin
def Xform "quay" (kind = "component")
{
    double3 xformOp:translate = (10, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    custom string note = "a \"quoted\" brace { and ]"
    rel friend = </quay/skin>
    def Mesh "skin"
    {
        int[] faceVertexCounts = [3, 3]
        int[] faceVertexIndices = [0, 1, 2, 0, 2, 3]
        point3f[] points.timeSamples = {
            1: [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)],
            2: None,
            3: [(0, 0, 2), (1, 0, 2), (1, 1, 2), (0, 1, 2)],
            4: [(0, 0, 8), (1, 0, 8), (1, 1, 8), (0, 1, 8)],
        }
        vector3f[] velocities = [(0, 0, 1), (0, 0, 1), (0, 0, 1), (0, 0, 1)]
        color3f[] primvars:displayColor = [(0.5, 0.25, 1)]
        int[] primvars:pane = [7, 8, 9, 10] (interpolation = "vertex")
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 0), (1, 1), (0, 1)] (
            interpolation = "faceVarying"
        )
    }
}
)";

inline const char* const changing_faces_text = R"(#usda 1.0
def Mesh "a" {
    int[] faceVertexCounts.timeSamples = { 0: [3], 1: [3], 2: [4] }
    int[] faceVertexIndices.timeSamples = { 0: [0, 1, 2], 1: [0, 1, 2], 2: [0, 1, 2, 3] }
    point3f[] points.timeSamples = { 0: [(0,0,0),(1,0,0),(0,1,0)], 1: [(0,0,0),(2,0,0),(0,1,0)], 2: [(0,0,0),(1,0,0),(1,1,0),(0,1,0)] }
}
)";

inline const char* const points_text = R"(#usda 1.0
def Points "petals"
{
    int64[] ids.timeSamples = { 0: [4, 9000000000], 1: [9000000000] }
    point3f[] points.timeSamples = { 0: [(0, 0, 0), (1, 2, 3)], 1: [(2, 2, 3)] }
    float[] widths.timeSamples = { 0: [0.1, 0.2], 1: [0.2] }
}
)";

inline const char* const transforms_text = R"(#usda 1.0
def Xform "outer"
{
    float3 xformOp:rotateXYZ = (20, 30, 40)
    double3 xformOp:translate = (1, 2, 3)
    float3 xformOp:scale:big = (2, 2, 2)
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ", "xformOp:scale:big"]
    def Xform "inner"
    {
        quatf xformOp:orient.timeSamples = { 0: (1, 0, 0, 0), 10: (0, 0, 1, 0) }
        double3 xformOp:translate:pivot = (0, 5, 0)
        uniform token[] xformOpOrder = ["xformOp:translate:pivot", "xformOp:orient", "!invert!xformOp:translate:pivot"]
        def Mesh "m"
        {
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(1, 0, 0), (0, 1, 0), (0, 0, 1)]
        }
    }
}
)";
