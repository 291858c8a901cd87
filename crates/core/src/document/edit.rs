//! Everything a user can do to a project: families of edits, each in the file that makes it into
//! changes.

use serde::{Deserialize, Deserializer, de::Error};
use serde_json::Value;
use speckle_model::{NewPart, PartId, recipe::RecipeFile};
use strum::VariantNames;

use super::{
    Change, Direction, Document, EditError,
    channels::ChannelEdit,
    helpers::HelperEdit,
    images::ImageEdit,
    painting::PaintEdit,
    parts::PartEdit,
    planned::{Family, Planned},
    project::ProjectEdit,
    proof::ProofEdit,
    recipes::RecipeEdit,
    replacing::ReplaceEdit,
    sets::SetEdit,
    swatches::SwatchEdit,
    volumes::VolumeEdit,
};

/// One enum over all families: those that a client may ask for, and those of the house. On the wire an
/// edit is one flat object whose `type` says which it is, whatever family it belongs to.
macro_rules! families {
    (
        wire { $($(#[$doc:meta])* $name:ident($family:ty),)+ }
        house { $($(#[$own_doc:meta])* $own_name:ident($own_family:ty),)+ }
    ) => {
        /// Everything a user can do to a project.
        #[derive(Clone, Debug)]
        pub enum Edit {
            $($(#[$doc])* $name($family),)+
            $($(#[$own_doc])* $own_name($own_family),)+
        }

        $(impl From<$family> for Edit {
            fn from(edit: $family) -> Self {
                Self::$name(edit)
            }
        })+

        $(impl From<$own_family> for Edit {
            fn from(edit: $own_family) -> Self {
                Self::$own_name(edit)
            }
        })+

        impl Family for Edit {
            fn plan(self, document: &mut Document) -> Result<Planned, EditError> {
                match self {
                    $(Self::$name(edit) => edit.plan(document),)+
                    $(Self::$own_name(edit) => edit.plan(document),)+
                }
            }

            fn why_nothing(&self) -> Option<&'static str> {
                match self {
                    $(Self::$name(edit) => edit.why_nothing(),)+
                    $(Self::$own_name(edit) => edit.why_nothing(),)+
                }
            }
        }

        impl<'de> Deserialize<'de> for Edit {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                let said = Value::deserialize(deserializer)?;
                let Some(kind) = said.get("type").and_then(Value::as_str) else {
                    return Err(D::Error::missing_field("type"));
                };
                $(if <$family>::VARIANTS.contains(&kind) {
                    let edit: $family = serde_json::from_value(said).map_err(D::Error::custom)?;
                    return Ok(edit.into());
                })+
                Err(D::Error::custom(format_args!("there is no edit called {kind:?}")))
            }
        }

        #[cfg(feature = "schema")]
        impl utoipa::PartialSchema for Edit {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::Schema> {
                use utoipa::{ToSchema, openapi::{OneOfBuilder, Ref}};
                let of = OneOfBuilder::new().description(Some("Everything a user can do to a project."));
                $(let of = of.item(Ref::from_schema_name(<$family>::name()));)+
                of.into()
            }
        }

        #[cfg(feature = "schema")]
        impl utoipa::ToSchema for Edit {
            fn schemas(schemas: &mut Vec<(String, utoipa::openapi::RefOr<utoipa::openapi::Schema>)>) {
                use utoipa::PartialSchema;
                $(
                    schemas.push((<$family>::name().into_owned(), <$family>::schema()));
                    <$family>::schemas(schemas);
                )+
            }
        }
    };
}

families! {
    wire {
        /// What changes the list of parts, and what is said of them.
        Part(PartEdit),
        /// What changes what is said of the project, its palette and its views.
        Project(ProjectEdit),
        /// What changes the sets of parts.
        Set(SetEdit),
        /// What changes channels as wholes.
        Channel(ChannelEdit),
        /// What changes values here and there.
        Paint(PaintEdit),
        /// What keeps masks, selections and snapshots.
        Helper(HelperEdit),
        /// What gives sets recipes, or takes them.
        Recipe(RecipeEdit),
        /// What brings images in, or takes them out.
        Image(ImageEdit),
        /// What says in which swatch faces are painted.
        Swatch(SwatchEdit),
        /// What sets volumes, or makes paint of them.
        Volume(VolumeEdit),
        /// What changes how the project is proofed.
        Proof(ProofEdit),
    }
    house {
        /// What brings other colors, or another shape, from elsewhere.
        Replace(ReplaceEdit),
    }
}

impl Edit {
    /// Brings parts in whose numbers mean what the project's do.
    #[must_use]
    pub fn bring_in(parts: Vec<NewPart>) -> Self {
        PartEdit::AddParts { parts, images: Vec::new(), traits: None }.into()
    }

    /// Why it may have made no difference, where a hand would wonder.
    #[must_use]
    pub fn why_nothing(&self) -> Option<&'static str> {
        Family::why_nothing(self)
    }

    /// Gives a part the set that a file of recipes makes, flooded with what it starts with.
    #[must_use]
    pub fn adding_set_of(part: PartId, file: &RecipeFile) -> Self {
        let (name, placement, encoding) = (file.set.clone(), file.placement, file.encoding);
        SetEdit::AddSet { part, name, placement, encoding, start: file.ground() }.into()
    }
}

impl Document {
    /// Makes an edit.
    ///
    /// # Errors
    /// See [`EditError`]; the document is then unchanged.
    pub fn apply(&mut self, edit: impl Into<Edit>) -> Result<Change, EditError> {
        let edit: Edit = edit.into();
        let change = match edit.plan(self)? {
            Planned::Done(change) => return Ok(change),
            Planned::Plain(change) => change,
            Planned::Painting(change, shares) => {
                self.with_hand_paint(change, &|set, element| shares.of(set, element))?
            }
        };
        self.replay(&change, Direction::Forward)?;
        Ok(change)
    }

    /// Makes several edits as one change; none of them when one cannot be made.
    ///
    /// # Errors
    /// Of the first that cannot be made.
    pub fn apply_all<E: Into<Edit>>(
        &mut self,
        label: String,
        edits: impl IntoIterator<Item = E>,
    ) -> Result<Change, EditError> {
        let mut whole = Change { label, ..Change::default() };
        for edit in edits {
            match self.apply(edit) {
                Ok(change) => whole.steps.extend(change.steps),
                Err(error) => {
                    self.replay(&whole, Direction::Backward)?;
                    return Err(error);
                }
            }
        }
        Ok(whole)
    }
}
