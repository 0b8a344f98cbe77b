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
    point3f[] points.timeSamples = { 0: [(0,0,0),(1,0,0),(0,1,0)], 1: [(0,0,0),(2,0,0),(0,1,0)],
        2: [(0,0,0),(1,0,0),(1,1,0),(0,1,0)] }
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

// A festival's lamps: two prototypes, one of them moving, one instance hidden, ids, another instancer inside.
// A volume of two OpenVDB files, and another one; the field's own transform counts.
inline const char* const volume_text = R"(#usda 1.0
( startTimeCode = 1
  endTimeCode = 2
  metersPerUnit = 1
  upAxis = "Y" )
def Xform "quay"
{
    double3 xformOp:translate = (100, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Volume "smoke"
    {
        double3 xformOp:translate.timeSamples = { 1: (0, 0, 0), 2: (0, 30, 0) }
        float3 xformOp:scale = (2, 2, 2)
        uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:scale"]
        rel field:soot = </quay/smoke/density>
        def OpenVDBAsset "density"
        {
            token fieldName = "density"
            asset filePath.timeSamples = { 1: @smoke.1.vdb@, 2: @./smoke.2.vdb@ }
        }
    }
    def Volume "mist"
    {
        rel field:density = </quay/mist/density>
        def OpenVDBAsset "density"
        {
            asset filePath = @smoke.2.vdb@
        }
    }
}
)";

inline const char* const instancer_text = R"(#usda 1.0
( endTimeCode = 5
  startTimeCode = 1
  timeCodesPerSecond = 24 )
def Xform "quay"
{
    double3 xformOp:translate = (100, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def PointInstancer "lamps"
    {
        rel prototypes = [</quay/lamps/poses/still>, </quay/lamps/poses/moving>]
        int[] protoIndices = [0, 1, 0, 1]
        int64[] ids = [7, 8, 9, 12]
        int64[] invisibleIds.timeSamples = { 1: [], 3: [9] }
        point3f[] positions.timeSamples = { 1: [(0, 0, 0), (1, 0, 0), (2, 0, 0), (3, 0, 0)],
            5: [(0, 4, 0), (1, 0, 0), (2, 0, 0), (3, 0, 0)] }
        quath[] orientations = [(1, 0, 0, 0), (0.5, 0.5, 0.5, 0.5), (1, 0, 0, 0), (1, 0, 0, 0)]
        float3[] scales = [(1, 1, 1), (2, 3, 4), (1, 1, 1), (1, 1, 1)]
        over "poses"
        {
            def Mesh "still"
            {
                int[] faceVertexCounts = [3]
                int[] faceVertexIndices = [0, 1, 2]
                point3f[] points = [(1, 0, 0), (0, 1, 0), (0, 0, 1)]
            }
            def Xform "moving"
            {
                double3 xformOp:translate.timeSamples = { 1: (0, 0, 0), 5: (0, 0, 8) }
                uniform token[] xformOpOrder = ["xformOp:translate"]
                def Mesh "body"
                {
                    int[] faceVertexCounts = [3]
                    int[] faceVertexIndices = [0, 1, 2]
                    point3f[] points = [(1, 0, 0), (0, 1, 0), (0, 0, 1)]
                }
            }
        }
    }
}
)";

// A strip of two bones, bound at rest and bent; its tip also has a blend shape.
inline const char* const skeleton_text = R"(#usda 1.0
( endTimeCode = 5
  startTimeCode = 1 )
def SkelRoot "banner"
{
    double3 xformOp:translate = (0, 0, 3)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Skeleton "bones"
    {
        uniform token[] joints = ["root", "root/tip"]
        uniform matrix4d[] bindTransforms = [((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1)),
            ((1,0,0,0),(0,1,0,0),(0,0,1,0),(2,0,0,1))]
        uniform matrix4d[] restTransforms = [((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1)),
            ((1,0,0,0),(0,1,0,0),(0,0,1,0),(2,0,0,1))]
        rel skel:animationSource = </banner/wind>
    }
    def SkelAnimation "wind"
    {
        uniform token[] joints = ["root/tip", "root"]
        float3[] translations = [(2, 0, 0), (0, 0, 0)]
        quatf[] rotations.timeSamples = { 1: [(1, 0, 0, 0), (1, 0, 0, 0)],
            5: [(0.70710678, 0, 0, 0.70710678), (1, 0, 0, 0)] }
        half3[] scales = [(1, 1, 1), (1, 1, 1)]
        uniform token[] blendShapes = ["curl"]
        float[] blendShapeWeights.timeSamples = { 1: [0], 5: [1] }
    }
    def Mesh "cloth" (prepend apiSchemas = ["SkelBindingAPI"])
    {
        double3 xformOp:translate = (50, 50, 50)
        uniform token[] xformOpOrder = ["xformOp:translate"]
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(0, 0, 0), (2, 0, 0), (4, 0, 0), (1, 1, 0)]
        rel skel:skeleton = </banner/bones>
        int[] primvars:skel:jointIndices = [0, 0, 0, 1, 1, 0, 0, 1] ( elementSize = 2; interpolation = "vertex" )
        float[] primvars:skel:jointWeights = [1, 0, 0.5, 0.5, 1, 0, 0.5, 0.5] ( elementSize = 2;
            interpolation = "vertex" )
        matrix4d primvars:skel:geomBindTransform = ((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1))
        uniform token[] skel:blendShapes = ["curl"]
        rel skel:blendShapeTargets = </banner/cloth/curl>
        def BlendShape "curl"
        {
            uniform vector3f[] offsets = [(0, 0, 5)]
            uniform int[] pointIndices = [2]
        }
    }
}
)";

// Values of every spread, indexed and not.
inline const char* const primvars_text = R"(#usda 1.0
def Xform "quay"
{
    color3f[] primvars:displayColor = [(0.25, 0.5, 0.75)] ( interpolation = "constant" )
    def Mesh "paper"
    {
        int[] faceVertexCounts = [3, 3]
        int[] faceVertexIndices = [0, 1, 2, 0, 2, 3]
        point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
        normal3f[] primvars:normals = [(0, 0, 1), (0, 0, -1)] ( interpolation = "faceVarying" )
        int[] primvars:normals:indices = [0, 0, 0, 0, 0, 0]
        normal3f[] normals = [(1, 0, 0), (1, 0, 0), (1, 0, 0), (1, 0, 0)]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (0.5, 1)] ( interpolation = "faceVarying" )
        int[] primvars:st:indices = [0, 1, 2, 2, 1, 0]
        float primvars:glow = 0.5 ( interpolation = "constant" )
        float[] primvars:heat = [1, 2] ( interpolation = "uniform" )
        double[] primvars:age = [1, 2, 3, 4] ( interpolation = "vertex" )
        half2[] primvars:pair = [(1, 2), (3, 4)] ( interpolation = "varying" )
        int[] primvars:pair:indices = [1, 0, 0, 1]
        vector3f[] primvars:wind = [(1, 0, 0), (1, 0, 0), (1, 0, 0), (1, 0, 0)] ( interpolation = "vertex" )
        float[] primvars:corner = [1, 2, 3, 4, 5, 6] ( interpolation = "faceVarying" )
        uint[] primvars:count = [1, 2, 3, 4000000000] ( interpolation = "vertex" )
        string[] primvars:name = ["a"]
        bool[] primvars:lit = [true, false, 1, 0] ( interpolation = "vertex" )
        rel material:binding = </quay/materials/red>
        def GeomSubset "front"
        {
            uniform token elementType = "face"
            uniform token familyName = "materialBind"
            int[] indices = [1]
            rel material:binding = </quay/materials/blue>
        }
    }
    def Mesh "second"
    {
        float xformOp:rotateZ = 90
        uniform token[] xformOpOrder = ["xformOp:rotateZ"]
        int[] faceVertexCounts = [3]
        int[] faceVertexIndices = [0, 1, 2]
        point3f[] points = [(5, 0, 0), (6, 0, 0), (5, 1, 0)]
        double[] primvars:age = [9, 9, 9] ( interpolation = "vertex" )
        vector3f[] primvars:wind = [(1, 0, 0), (1, 0, 0), (1, 0, 0)] ( interpolation = "vertex" )
        color3f[] primvars:displayColor = [(1, 0, 0)]
    }
}
)";

// Sizes by the schemas; the sphere's radius is keyed.
inline const char* const shapes_text = R"(#usda 1.0
( endTimeCode = 3
  startTimeCode = 1 )
def Xform "quay"
{
    def Sphere "float" {
        double radius.timeSamples = { 1: 1, 3: 3 }
    }
    def Cube "crate" {
        double size = 4
        double3 xformOp:translate = (20, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
    def Cylinder "post" {
        double radius = 0.5
        double height = 6
        uniform token axis = "Y"
        double3 xformOp:translate = (40, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
    def Cone "hat" {
        double3 xformOp:translate = (60, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
    def Capsule "lamp" {
        double radius = 1
        double height = 2
        uniform token axis = "X"
        double3 xformOp:translate = (80, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
    def Plane "water" {
        double width = 6
        double length = 8
        double3 xformOp:translate = (100, 0, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
}
)";

// What is to be seen, and when.
inline const char* const purposes_text = R"(#usda 1.0
def Xform "quay"
{
    def Xform "stand_in" {
        uniform token purpose = "proxy"
        def Mesh "box" {
        point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
        }
    }
    def Xform "whole" {
        uniform token purpose = "render"
        def Mesh "lantern" {
        point3f[] points = [(0, 0, 0), (2, 0, 0), (0, 2, 0)]
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
        }
    }
    def BasisCurves "string" {
        int[] curveVertexCounts = [2]
        point3f[] points = [(0, 0, 0), (1, 1, 1)]
    }
    def Volume "smoke" {
    }
}
)";
