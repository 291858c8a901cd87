//! Plans of prints: on paper, on the plate, kept with the project.

use glam::{Affine3A, Vec3};
use speckle_core::{Document, ProjectEdit, document::Direction};
use speckle_mesh::Geometry;
use speckle_model::swatches::{Filament, Swatch};
use speckle_tools::layers::{
    Body, Footprint, Inside, Pace, Plate, PrintSetup, PurgedPair, Range, Rules, SeamMarks,
    estimate, page, swap_list,
};

use crate::common::polygons;
use crate::layers::{FINE, counted, turned};

/// What is loaded first, and a line for each change; the page has them all, with names that are no markup.
#[test]
fn a_plan_is_written_for_whoever_stands_at_the_printer() {
    let tower = turned(30, 60, |t| (10.0, 30.0 * t));
    let band = |face: usize| u8::from((10.0..20.0).contains(&tower.face_centroid(face).z));
    let of_faces: Vec<u8> = (0..tower.face_count()).map(band).collect();
    let plan = counted(&tower, &of_faces, &FINE).plan(Inside::Nearest);
    let swatches = [
        Swatch { number: 1, ..Swatch::new("Chalk", [0.9, 0.9, 0.8]) },
        Swatch {
            number: 7,
            filament: Filament { spool: Some(3), price: 20.0, ..Filament::default() },
            ..Swatch::new("Red <b>&", [0.8, 0.1, 0.1])
        },
    ];
    let text = swap_list(&plan, &swatches);
    let lines: Vec<&str> = text.lines().skip(1).collect();
    assert_eq!(
        lines,
        ["0.00\t1\t1 Chalk", "10.00\t51\t7 Red <b>& (spool 3)", "20.00\t101\t1 Chalk"]
    );
    let pace = Pace::default();
    let told = estimate(&plan, &pace, &swatches);
    // Each change by its way: lighter ones take more, and both of the mean together twice the mean.
    assert!((told.purged - 2.0 * pace.purge).abs() < 1e-9, "{}", told.purged);
    let [up, down] =
        [pace.purged(&swatches[1], &swatches[0]), pace.purged(&swatches[0], &swatches[1])];
    assert!(up > down && (told.swatches[0].purged - up).abs() < 1e-9);
    // 1.24 g/cm³, and 20 a kilogram of the red alone.
    let red = &told.swatches[1];
    assert!((red.grams - (red.printed + red.purged) * 1.24e-3).abs() < 1e-5);
    assert!((told.price - red.grams * 0.02).abs() < 1e-6);
    let seconds = (told.swatches.iter().map(|own| own.printed).sum::<f64>() + told.purged)
        / pace.flow
        + 2.0 * pace.change
        + 150.0 * pace.layer;
    assert!((told.seconds / seconds - 1.0).abs() < 1e-9);
    let html = page("Tower & <co>", &plan, &told, &swatches);
    assert!(
        html.contains("<h1>Tower &amp; &lt;co&gt;</h1>")
            && html.contains("7 Red &lt;b&gt;&amp; (spool 3)")
    );
    assert!(!html.contains("Red <b>"));
    assert!(html.contains("150 layers, 30.00 mm high; 2 changes of spool"), "{html}");
    assert_eq!(
        html.matches("<rect").count(),
        150 + 2,
        "a column for each layer, a tick for each change"
    );
    // What is known of a change goes before the model; swatches go by their numbers.
    let known =
        PurgedPair { from: swatches[0].number.max(1), to: swatches[1].number.max(2), purge: 777.0 };
    let pairs = Pace { pairs: vec![known], ..pace.clone() };
    let (by_model, as_known) = (pace.matrix(&swatches), pairs.matrix(&swatches));
    assert_eq!(as_known[0][1], 777.0);
    assert_eq!(as_known[1][0], by_model[1][0]);
    let more = estimate(&plan, &pairs, &swatches).purged - told.purged;
    assert!((more - (777.0 - by_model[0][1])).abs() < 1e-9 || more.abs() < 1e-9, "{more}");
    let unsound = PurgedPair { purge: f64::NAN, ..known };
    assert!(Pace { pairs: vec![unsound], ..pace.clone() }.problem().is_some());
    assert!(pace.problem().is_none());
    assert!(Pace { flow: 0.0, ..pace.clone() }.problem().is_some());
    assert!(Pace { purge: -1.0, ..pace.clone() }.problem().is_some());
}

/// Of all orders with the fewest changes the one that purges least is taken: towards dark in every layer would
/// be two changes a layer, so the order turns; where it is free, at the start, it begins so that less is purged.
#[test]
fn fewest_changes_come_before_least_purge() {
    let tower = turned(4, 40, |t| (10.0, 2.0 * t));
    let half = |face: usize| u8::from(tower.face_centroid(face).x > 0.0);
    let of_faces: Vec<u8> = (0..tower.face_count()).map(half).collect();
    let counted = counted(&tower, &of_faces, &FINE);
    let swatches = [Swatch::new("White", [1.0; 3]), Swatch::new("Black", [0.0; 3])];
    let pace = Pace::default();
    let plan = counted.plan_for(Inside::Nearest, &pace, &swatches);
    assert_eq!(plan.changes, counted.plan(Inside::Nearest).changes);
    assert_eq!(plan.changes, 10, "one in each of ten layers");
    let other = |order: &[u8]| order.iter().map(|swatch| 1 - swatch).collect::<Vec<u8>>();
    let purge = |orders: Vec<Vec<u8>>| {
        let all: Vec<u8> = orders.concat();
        let pairs = all.windows(2).filter(|pair| pair[0] != pair[1]);
        pairs
            .map(|pair| pace.purged(&swatches[pair[0] as usize], &swatches[pair[1] as usize]))
            .sum::<f64>()
    };
    let ours = purge(plan.layers.iter().map(|layer| layer.order.clone()).collect());
    let turned = purge(plan.layers.iter().map(|layer| other(&layer.order)).collect());
    assert!(ours <= turned + 1e-9, "{ours} {turned}");
}

/// How a project is printed is kept with it: changed, taken back, stored and read again; what makes no sense is
/// refused.
#[test]
fn how_a_project_is_printed_is_kept_with_it() {
    let mut document = Document::default();
    let setup = PrintSetup {
        rules: Rules { ranges: vec![Range { from: 1.0, to: 2.0, layer: 0.1 }], ..FINE },
        inside: Some(Inside::Swatch { swatch: 1 }),
        through: vec![[3.0, 4.0]],
        height: Some(80.0),
        pace: Pace::default(),
        seams: SeamMarks { prefer: Some("Back".to_owned()), avoid: None },
        plate: Some(Plate { size: [200.0, 180.0, 250.0], at: [3.0, -4.0], turn: 30.0 }),
    };
    let set = |print: &PrintSetup| ProjectEdit::SetPrint { print: print.clone().into() };
    let change = document.apply(set(&setup)).unwrap();
    assert_eq!(document.print(), Some(&setup));
    assert!(document.apply(set(&setup)).unwrap().steps.is_empty());
    let record = serde_json::to_string(&document.record()).unwrap();
    let again = Document::restore(serde_json::from_str(&record).unwrap(), Vec::new()).unwrap();
    assert_eq!(again.print(), Some(&setup));
    let json = serde_json::to_string(&change).unwrap();
    let change: speckle_core::Change = serde_json::from_str(&json).unwrap();
    document.replay(&change, Direction::Backward).unwrap();
    assert_eq!(document.print(), None);
    let unsound = [
        PrintSetup { rules: Rules { layer: -1.0, ..FINE }, ..setup.clone() },
        PrintSetup { through: vec![[4.0, 3.0]], ..setup.clone() },
        PrintSetup { height: Some(0.0), ..setup.clone() },
        PrintSetup {
            plate: Some(Plate { size: [0.0; 3], at: [0.0; 2], turn: 0.0 }),
            ..setup.clone()
        },
        PrintSetup {
            plate: Some(Plate { size: [9.0; 3], at: [0.0, f64::NAN], turn: 0.0 }),
            ..setup.clone()
        },
        PrintSetup { pace: Pace { flow: 0.0, ..Pace::default() }, ..setup.clone() },
    ];
    for print in &unsound {
        assert!(document.apply(set(print)).is_err(), "{print:?}");
    }
    assert_eq!(document.print(), None);
}

/// A box of 80 × 30 on a plate of 70 × 70 reaches beyond it as it stands, by half of what is too much; turned by 45°
/// its box is (80 + 30) / √2 wide, which is more than 70 too. On 80 × 80 it then has (80 − 110 / √2) / 2 left, by hand.
#[test]
fn a_print_is_told_whether_it_fits_its_plate_and_turned_where_it_has_most_room() {
    let slab = polygons(
        (0..8)
            .map(|i| {
                Vec3::new((i & 1) as f32 * 80.0, (i >> 1 & 1) as f32 * 30.0, (i >> 2) as f32 * 5.0)
            })
            .map(|p| p + Vec3::new(100.0, -7.0, 3.0))
            .collect(),
        &[[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]]
            .map(|face: [u32; 4]| face.to_vec()),
    );
    let geometry = Geometry::new(slab);
    let body = Body { geometry: &geometry, to_plate: Affine3A::IDENTITY, of_faces: &[0; 6] };
    let footprint = Footprint::of(&[body]).unwrap();
    let plate = |size: [f64; 3], at: [f64; 2], turn: f64| Plate { size, at, turn };
    let told = footprint.on(&plate([70.0, 70.0, 4.0], [0.0; 2], 0.0));
    assert!((told.margin + 5.0).abs() < 1e-4 && (told.too_high - 1.0).abs() < 1e-4, "{told:?}");
    assert!(told.best.margin < 0.0, "{told:?}");
    let told = footprint.on(&plate([80.0, 80.0, 9.0], [1.0, 2.0], 45.0));
    let room = (80.0 - 110.0 / 2.0_f64.sqrt()) / 2.0;
    assert!((told.best.margin - room).abs() < 1e-3, "{told:?}");
    assert!((told.margin - (room - 2.0)).abs() < 1e-3 && told.too_high == 0.0, "{told:?}");
    assert_eq!((told.outline.len(), told.height), (4, 5.0));
    // What is told is where its points come to.
    let plate = plate([90.0, 60.0, 50.0], [-4.0, 2.0], 30.0);
    let motion = footprint.motion(&plate);
    let outline = footprint.on(&plate).outline;
    for corner in [Vec3::new(100.0, -7.0, 3.0), Vec3::new(180.0, 23.0, 3.0)] {
        let there = motion.transform_point3(corner);
        assert!(there.z.abs() < 1e-4, "it stands on the plate");
        let is_there =
            |[x, y]: &[f64; 2]| (x - f64::from(there.x)).hypot(y - f64::from(there.y)) < 1e-3;
        assert!(outline.iter().any(is_there), "{there} {outline:?}");
    }
}
