// OpenVDB, without compiling again what its library holds: trees and grids have virtual functions, so that every file
// which makes one would compile all of them, for half a minute and more each. To be included instead of
// <openvdb/openvdb.h>.
//
// Which of their functions the library holds depends on what was put in line when it was compiled, so this is done only
// where the build says so (GARLAND_KEPT_TREES): g++ in release builds, as the library itself. The few that it lacks are
// in openvdb_trees.cpp.
#pragma once

#include <openvdb/openvdb.h>

namespace garland {

using ByteTree = openvdb::tree::Tree4<unsigned char, 5, 4, 3>::Type; // meshing's own
using ShortTree = openvdb::tree::Tree4<std::int16_t, 5, 4, 3>::Type;

} // namespace garland

#ifdef GARLAND_KEPT_TREES
extern template class openvdb::tree::Tree<garland::ByteTree::RootNodeType>;
extern template class openvdb::tree::Tree<garland::ShortTree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::UInt32Tree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::BoolTree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::MaskTree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::FloatTree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::DoubleTree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::Int32Tree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::Int64Tree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::Vec3STree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::Vec3DTree::RootNodeType>;
extern template class openvdb::tree::Tree<openvdb::Vec3ITree::RootNodeType>;
extern template class openvdb::Grid<openvdb::BoolTree>;
extern template class openvdb::Grid<openvdb::MaskTree>;
extern template class openvdb::Grid<openvdb::FloatTree>;
extern template class openvdb::Grid<openvdb::DoubleTree>;
extern template class openvdb::Grid<openvdb::Int32Tree>;
extern template class openvdb::Grid<openvdb::Int64Tree>;
extern template class openvdb::Grid<openvdb::Vec3STree>;
extern template class openvdb::Grid<openvdb::Vec3DTree>;
extern template class openvdb::Grid<openvdb::Vec3ITree>;
#endif
