#include "core/geometry/openvdb_trees.h"

namespace {

template <class Tree>
using Accessor = openvdb::tree::ValueAccessorBase<Tree, true>;

} // namespace

// What the library puts in line everywhere, and therefore does not hold.
template void openvdb::tree::Tree<garland::ByteTree::RootNodeType>::attachAccessor(Accessor<garland::ByteTree>&) const;
template void
openvdb::tree::Tree<garland::ByteTree::RootNodeType>::attachAccessor(Accessor<const garland::ByteTree>&) const;
template void openvdb::tree::Tree<garland::ByteTree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<garland::ShortTree::RootNodeType>::attachAccessor(Accessor<garland::ShortTree>&) const;
template void
openvdb::tree::Tree<garland::ShortTree::RootNodeType>::attachAccessor(Accessor<const garland::ShortTree>&) const;
template void openvdb::tree::Tree<garland::ShortTree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::UInt32Tree::RootNodeType>::attachAccessor(Accessor<openvdb::UInt32Tree>&) const;
template void
openvdb::tree::Tree<openvdb::UInt32Tree::RootNodeType>::attachAccessor(Accessor<const openvdb::UInt32Tree>&) const;
template void openvdb::tree::Tree<openvdb::UInt32Tree::RootNodeType>::releaseAllAccessors();
template void openvdb::tree::Tree<openvdb::BoolTree::RootNodeType>::attachAccessor(Accessor<openvdb::BoolTree>&) const;
template void
openvdb::tree::Tree<openvdb::BoolTree::RootNodeType>::attachAccessor(Accessor<const openvdb::BoolTree>&) const;
template void openvdb::tree::Tree<openvdb::BoolTree::RootNodeType>::releaseAllAccessors();
template void openvdb::tree::Tree<openvdb::MaskTree::RootNodeType>::attachAccessor(Accessor<openvdb::MaskTree>&) const;
template void
openvdb::tree::Tree<openvdb::MaskTree::RootNodeType>::attachAccessor(Accessor<const openvdb::MaskTree>&) const;
template void openvdb::tree::Tree<openvdb::MaskTree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::FloatTree::RootNodeType>::attachAccessor(Accessor<openvdb::FloatTree>&) const;
template void
openvdb::tree::Tree<openvdb::FloatTree::RootNodeType>::attachAccessor(Accessor<const openvdb::FloatTree>&) const;
template void openvdb::tree::Tree<openvdb::FloatTree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::DoubleTree::RootNodeType>::attachAccessor(Accessor<openvdb::DoubleTree>&) const;
template void
openvdb::tree::Tree<openvdb::DoubleTree::RootNodeType>::attachAccessor(Accessor<const openvdb::DoubleTree>&) const;
template void openvdb::tree::Tree<openvdb::DoubleTree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::Int32Tree::RootNodeType>::attachAccessor(Accessor<openvdb::Int32Tree>&) const;
template void
openvdb::tree::Tree<openvdb::Int32Tree::RootNodeType>::attachAccessor(Accessor<const openvdb::Int32Tree>&) const;
template void openvdb::tree::Tree<openvdb::Int32Tree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::Int64Tree::RootNodeType>::attachAccessor(Accessor<openvdb::Int64Tree>&) const;
template void
openvdb::tree::Tree<openvdb::Int64Tree::RootNodeType>::attachAccessor(Accessor<const openvdb::Int64Tree>&) const;
template void openvdb::tree::Tree<openvdb::Int64Tree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::Vec3STree::RootNodeType>::attachAccessor(Accessor<openvdb::Vec3STree>&) const;
template void
openvdb::tree::Tree<openvdb::Vec3STree::RootNodeType>::attachAccessor(Accessor<const openvdb::Vec3STree>&) const;
template void openvdb::tree::Tree<openvdb::Vec3STree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::Vec3DTree::RootNodeType>::attachAccessor(Accessor<openvdb::Vec3DTree>&) const;
template void
openvdb::tree::Tree<openvdb::Vec3DTree::RootNodeType>::attachAccessor(Accessor<const openvdb::Vec3DTree>&) const;
template void openvdb::tree::Tree<openvdb::Vec3DTree::RootNodeType>::releaseAllAccessors();
template void
openvdb::tree::Tree<openvdb::Vec3ITree::RootNodeType>::attachAccessor(Accessor<openvdb::Vec3ITree>&) const;
template void
openvdb::tree::Tree<openvdb::Vec3ITree::RootNodeType>::attachAccessor(Accessor<const openvdb::Vec3ITree>&) const;
template void openvdb::tree::Tree<openvdb::Vec3ITree::RootNodeType>::releaseAllAccessors();
