//! Whatever numbers come over the wire: an edit is made or refused, nothing panics, and what is
//! stored stays a number between 0 and 1.

use glam::{Vec2, Vec3};
use proptest::prelude::*;
use speckle_color::{Channels, Encoding, Measure, blend::Blend, curve::Curve, ramp::Stop};
use speckle_core::{
    ChannelEdit, Document, Edit, HelperEdit, PaintEdit,
    document::{Adjustment, ChannelAt, Fill},
};
use speckle_mesh::{
    Mesh, Placement, Transform,
    screen::Screen,
    sight::{Cutaway, View},
};
use speckle_model::{NewPart, NewSet, color_set::Role};
use speckle_tools::{
    adjust::How,
    region::{Region, Solid},
    stencil::{Projection, Stencil, StencilId, StencilUse},
    stroke::{Action, Brush, BuildUp, Coat, Mirror, Reach, Sample, StrokeStart},
};

use crate::common::{beside, sheet};

/// Numbers as they come from a hand, and as they come from nowhere.
/// Boxed, like what it makes up: in a build without optimisation the trees of thirty of them do not fit on a stack.
fn number() -> BoxedStrategy<f32> {
    prop_oneof![
        6 => -2.0_f32..2.0,
        2 => 0.0_f32..=1.0,
        1 => prop::sample::select(vec![0.0, 1.0, -0.0, 1e-20, 1e20, -1e30, f32::MAX, f32::MIN_POSITIVE]),
        1 => prop::sample::select(vec![f32::NAN, f32::INFINITY, f32::NEG_INFINITY]),
    ]
    .boxed()
}

fn unit() -> BoxedStrategy<f32> {
    prop_oneof![60 => 0.0_f32..=1.0, 1 => number()].boxed()
}

fn vector() -> BoxedStrategy<Vec3> {
    let axes = prop::sample::select(vec![Vec3::X, Vec3::Y, Vec3::Z, Vec3::NEG_Z]);
    prop_oneof![2 => prop::array::uniform3(number()).prop_map(Vec3::from), 3 => axes].boxed()
}

fn view() -> impl Strategy<Value = View> {
    prop_oneof![
        1 => (vector(), vector()).prop_map(|(eye, forward)| View::Perspective { eye, forward }),
        1 => vector().prop_map(|forward| View::Parallel { forward }),
        3 => Just(View::Perspective { eye: Vec3::Z * 6.0, forward: Vec3::NEG_Z }),
        3 => Just(View::Parallel { forward: Vec3::NEG_Z }),
    ]
}

fn sample() -> impl Strategy<Value = Sample> {
    let odd = (vector(), vector(), any::<bool>(), number()).prop_map(
        |(origin, direction, held, pressure)| Sample { origin, direction, held, pressure },
    );
    let sound = (-1.2_f32..1.2, -1.2_f32..1.2, any::<bool>(), 0.0_f32..=1.0).prop_map(
        |(x, y, held, pressure)| Sample {
            origin: Vec3::new(x, y, 6.0),
            direction: Vec3::NEG_Z,
            held,
            pressure,
        },
    );
    prop_oneof![1 => odd, 4 => sound]
}

fn curve() -> impl Strategy<Value = Option<Curve>> {
    prop::option::of(prop::array::uniform5(unit()).prop_map(Curve))
}

fn brush() -> impl Strategy<Value = Brush> {
    let reach = prop::sample::select(vec![Reach::Skin, Reach::Deep, Reach::Facet, Reach::Corner]);
    let build_up = prop::sample::select(vec![BuildUp::Stroke, BuildUp::Dab, BuildUp::Held]);
    let numbers = (unit(), unit(), unit(), unit(), unit());
    let curves = (curve(), curve(), curve(), curve());
    (reach, build_up, numbers, curves, prop::array::uniform3(any::<bool>())).prop_map(
        |(reach, build_up, (radius, opacity, hardness, flow, spacing), curves, flags)| Brush {
            reach,
            build_up,
            radius,
            opacity,
            hardness,
            flow,
            spacing: spacing + 0.1,
            on_screen: flags[0],
            through: flags[1],
            apart: flags[2],
            falloff_curve: curves.0,
            pressure_radius: curves.1,
            pressure_opacity: curves.2,
            pressure_hardness: curves.3,
            ..Brush::default()
        },
    )
}

fn stencil() -> impl Strategy<Value = Option<StencilUse>> {
    let lay = (0..3_u8, view(), vector(), vector(), number(), number()).prop_map(
        |(kind, view, right, up, x, width)| match kind {
            0 => Projection::Screen {
                screen: Screen { view, right, up },
                middle: Vec2::new(x, x),
                width,
            },
            1 => Projection::Uv { uv_set: 0, width },
            _ => Projection::Axes { width },
        },
    );
    let usage =
        (lay, number(), any::<bool>(), any::<bool>()).prop_map(|(lay, turn, repeat, invert)| {
            StencilUse { stencil: StencilId(1), lay, turn, repeat, invert, hard: false }
        });
    prop_oneof![3 => Just(None), 1 => usage.prop_map(Some)]
}

/// What a coat is made of, beside the part and the set.
fn coat() -> impl Strategy<Value = Coat> {
    let action =
        prop::sample::select(vec![Action::Paint, Action::Erase, Action::Soften, Action::Smear]);
    let blend = prop::sample::select(vec![
        Blend::Normal,
        Blend::Recolor,
        Blend::ColorDodge,
        Blend::Hue,
        Blend::SoftLight,
    ]);
    let cutaway = prop::option::of((vector(), number(), any::<bool>())).prop_map(|cut| {
        cut.map(|(normal, offset, covers_hidden)| Cutaway { normal, offset, covers_hidden })
    });
    let paint = prop::array::uniform4(unit());
    (action, blend, paint, prop::array::uniform4(any::<bool>()), stencil(), cutaway, any::<bool>())
        .prop_map(|(action, blend, paint, channels, stencil, cutaway, all_parts)| Coat {
            action,
            blend,
            stencil,
            cutaway,
            all_parts,
            ..Coat::new(
                speckle_model::PartId(0),
                speckle_model::SetId(0),
                Channels(channels),
                paint,
            )
        })
}

fn region() -> impl Strategy<Value = Region> {
    let transform = (vector(), vector(), vector()).prop_map(|(t, r, scale)| Transform {
        translation: t,
        rotation_degrees: r * 90.0,
        scale,
    });
    let solid = prop::sample::select(vec![Solid::Box, Solid::Sphere, Solid::Cylinder, Solid::Cone]);
    let outline = prop::collection::vec((number(), number()).prop_map(Vec2::from), 0..6);
    prop_oneof![
        number().prop_map(|x| Region::Crease { degrees: x * 90.0 }),
        number().prop_map(|tolerance| Region::Patch { tolerance }),
        Just(Region::Piece),
        Just(Region::Boundary),
        (vector(), number(), number(), number())
            .prop_map(|(direction, from, to, soft)| Region::Band { direction, from, to, soft }),
        (vector(), vector()).prop_map(|(from, to)| Region::Gradient { from, to }),
        (solid, transform, number()).prop_map(|(solid, transform, soft)| Region::Solid {
            solid,
            transform,
            soft
        }),
        (view(), vector(), vector(), outline, any::<bool>()).prop_map(
            |(view, right, up, outline, through)| Region::Lasso {
                screen: Screen { view, right, up },
                outline,
                through,
            }
        ),
        (0..9_u32).prop_map(|id| Region::Chosen { set: speckle_model::SetId(id) }),
        (0..9_usize).prop_map(|index| Region::Group { index }),
        (0..9_u32, number(), number()).prop_map(|(id, from, to)| Region::Range {
            set: speckle_model::SetId(id),
            measure: Measure::Luminance,
            from,
            to,
        }),
        (0..9_u32, prop::array::uniform4(number()), number()).prop_map(|(id, color, tolerance)| {
            Region::Near { set: speckle_model::SetId(id), color, tolerance }
        }),
        (0..9_u32, number()).prop_map(|(id, tolerance)| Region::Changed {
            snapshot: speckle_model::SetId(id),
            tolerance,
        }),
    ]
}

fn how() -> impl Strategy<Value = How> {
    prop_oneof![
        (unit(), unit(), number(), unit(), unit()).prop_map(
            |(from, to, gamma, least, greatest)| How::Levels { from, to, gamma, least, greatest }
        ),
        prop::array::uniform5(unit()).prop_map(|c| How::Curve { curve: Curve(c) }),
        (number(), number())
            .prop_map(|(brightness, contrast)| How::Contrast { brightness, contrast }),
        (number(), number(), number()).prop_map(|(hue, chroma, lightness)| How::Shift {
            hue: hue * 180.0,
            chroma,
            lightness
        }),
        (0..300_u32).prop_map(|steps| How::Posterise { steps }),
        (prop::array::uniform4(unit()), prop::array::uniform4(unit()), number())
            .prop_map(|(from, to, tolerance)| How::ReplaceColor { from, to, tolerance }),
        (number(), 0..4_u32).prop_map(|(length, rounds)| How::Blur { length, rounds }),
        (number(), 0..4_u32, number()).prop_map(|(length, rounds, amount)| How::Sharpen {
            length,
            rounds,
            amount
        }),
        (number(), 0..3_u32).prop_map(|(length, rounds)| How::Grow { length, rounds }),
        (number(), 0..3_u32).prop_map(|(length, rounds)| How::Shrink { length, rounds }),
        Just(How::Stretch),
        Just(How::Invert),
    ]
}

/// Two parts with a set of each placement, a mask, a selection and a snapshot.
fn document() -> Document {
    let part = |name: &str, z: f32| {
        let mesh = Mesh::new(beside(sheet(5, z), sheet(3, z - 0.4))).unwrap();
        let set = |name: &str, placement, encoding| {
            NewSet::flooded(name, placement, encoding, [0.25, 0.5, 0.75, 1.0], &mesh)
        };
        let sets = vec![
            set("Coat", Placement::Corner, Encoding::Color),
            set("Wear", Placement::Vertex, Encoding::Data),
            set("Faces", Placement::Face, Encoding::Color),
        ];
        NewPart::new(name, mesh.clone(), sets)
    };
    let mut document = Document::default();
    document.apply(Edit::bring_in(vec![part("Deck", 0.0), part("Awning", 0.6)])).unwrap();
    let part = document.parts()[0].id;
    for (role, placement) in [(Role::Mask, Placement::Vertex), (Role::Selection, Placement::Face)] {
        let name = role.noun().to_owned();
        document.apply(HelperEdit::AddHelper { part, role, name, placement }).unwrap();
    }
    document.apply(HelperEdit::TakeSnapshot { name: "Then".into() }).unwrap();
    document
        .supply_stencil(StencilId(1), Stencil::new(2, 2, vec![0, 80, 160, 255]).unwrap().into());
    document
}

/// Makes an edit with the target filled in; tells what was refused, if it was.
fn make(
    document: &mut Document,
    target: usize,
    edit: impl Fn(Coat) -> Edit,
    coat: Coat,
) -> Option<String> {
    let part = &document.parts()[target % 2];
    let set = part.sets[target / 2 % part.sets.len()].id;
    let edit = edit(Coat { part: part.id, set, ..coat });
    document.apply(edit).err().map(|error| error.to_string())
}

fn all_are_sound(document: &Document) -> bool {
    let sets = document.parts().iter().flat_map(|part| &part.sets);
    sets.flat_map(|set| set.values.iter()).flatten().all(|x| (0.0..=1.0).contains(x))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(800))]

    #[test]
    fn strokes_keep_numbers_sound(
        target in 0..16_usize, coat in coat(), brush in brush(), view in view(),
        axes in prop::array::uniform3(any::<bool>()), of_project in any::<bool>(),
        samples in prop::collection::vec(sample(), 1..5),
    ) {
        let mut document = document();
        let start = |coat| StrokeStart {
            mirror: Mirror { axes, of_project },
            ..StrokeStart::new(coat, brush, view)
        };
        let stroke = |coat| PaintEdit::Stroke { start: start(coat), samples: samples.clone() }.into();
        let refused = make(&mut document, target, stroke, coat);
        prop_assert!(refused.is_none_or(|words| words.len() > 20));
        prop_assert!(all_are_sound(&document));
    }

    #[test]
    fn fills_and_adjustments_keep_numbers_sound(
        target in 0..16_usize, coat in coat(), region in region(), opacity in unit(),
        at in prop::option::of(sample()), afresh in any::<bool>(), how in how(),
        strength in unit(), within in prop::option::of(0..12_u32), stops in prop::collection::vec((unit(), unit()), 0..4),
    ) {
        let mut document = document();
        let fill = |coat| PaintEdit::Fill {
            fill: Fill { coat, opacity, region: region.clone(), at, afresh, crisp: false },
        }.into();
        let refused = make(&mut document, target, fill, coat);
        prop_assert!(refused.is_none_or(|words| words.len() > 15));
        prop_assert!(all_are_sound(&document), "{region:?}");
        let adjust = |Coat { part, set, channels, .. }: Coat| {
            let within = within.map(speckle_model::SetId);
            PaintEdit::Adjust { adjustment: Adjustment { part, set, channels, how, strength, within } }.into()
        };
        make(&mut document, target, adjust, coat);
        prop_assert!(all_are_sound(&document), "{how:?}");
        let ramp: Vec<Stop> = stops.iter().map(|&(at, x)| Stop { at, color: [x, at, x, 1.0] }).collect();
        let colorize = |Coat { part, set, .. }: Coat| ChannelEdit::Colorize {
            from: ChannelAt { part, set, channel: target % 5 },
            name: "Tint".into(),
            ramp: ramp.clone(),
        }.into();
        make(&mut document, target, colorize, coat);
        prop_assert!(all_are_sound(&document), "{ramp:?}");
    }
}
