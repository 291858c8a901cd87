//! What parts and sets are named by, whatever the user calls them.

use serde::{Deserialize, Serialize};

/// Names a part within its project; never used again after the part is gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct PartId(pub u32);

/// Names a set within its project; never used again after the set is gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(transparent)]
pub struct SetId(pub u32);
