//! A mesh that changes while it is on a page: what goes over the socket, and that a page which lays
//! it on has what one that comes afterwards is sent.
use std::{collections::BTreeMap, net::SocketAddr};

use serde_json::{Value, json};
use speckle_color::Encoding;
use speckle_core::{Document, Edit};
use speckle_mesh::{Geometry, Mesh, Placement, geometry::local::LocalEdit, mesh::MeshArrays};
use speckle_model::{NewPart, NewSet};
use speckle_store::Store;

use crate::common::*;

/// What a page has on its stage of one part, by nothing but frames.
#[derive(Default, PartialEq, Debug)]
struct Stage {
    positions: Vec<[u8; 12]>,
    normals: Vec<[u8; 8]>,
    corners: Vec<u32>,
    /// None where every face is a triangle.
    starts: Option<Vec<u32>>,
    triangles: Option<Vec<[u32; 3]>>,
    values: BTreeMap<u32, Vec<[u8; 4]>>,
}

/// Reads arrays one after the other.
struct Reader<'a>(&'a [u8]);

impl Reader<'_> {
    fn rows<const N: usize>(&mut self, count: usize) -> Vec<[u8; N]> {
        let (own, rest) = self.0.split_at(N * count);
        self.0 = rest;
        own.chunks_exact(N).map(|row| row.try_into().unwrap()).collect()
    }

    fn words(&mut self, count: usize) -> Vec<u32> {
        self.rows(count).into_iter().map(u32::from_le_bytes).collect()
    }

    fn threes(&mut self, count: usize) -> Vec<[u32; 3]> {
        self.words(3 * count).chunks_exact(3).map(|three| three.try_into().unwrap()).collect()
    }
}

impl Stage {
    fn take(&mut self, frame: &[u8]) {
        let mut reader = Reader(frame);
        let head = reader.words(8);
        let [_, _, set, a, b, c, d] = [0, 1, 2, 3, 4, 5, 6].map(|i| head[i] as usize);
        match head[0] {
            1 => {
                self.positions = reader.rows(a);
                self.normals = reader.rows(a);
                self.corners = reader.words(b);
                self.starts = (c > 0).then(|| reader.words(c + 1));
                self.triangles = (d > 0).then(|| reader.threes(d));
            }
            2 => drop(self.values.insert(set as u32, reader.rows(a))),
            3 => {
                let Some(values) = self.values.get_mut(&(set as u32)) else { return };
                for (at, value) in reader.words(a).into_iter().zip(reader.rows(a)) {
                    values[at as usize] = value;
                }
            }
            8 => self.reshape(a, b, &mut reader, c, d),
            _ => {}
        }
    }

    fn reshape(
        &mut self,
        vertices: usize,
        faces: usize,
        reader: &mut Reader,
        some: usize,
        new: usize,
    ) {
        let before = (self.positions.len(), self.corners.len(), self.face_count());
        self.positions.resize(vertices, [0; 12]);
        self.normals.resize(vertices, [0; 8]);
        let numbers = reader.words(some);
        let (places, normals) = (reader.rows(some), reader.rows(some));
        for ((at, place), normal) in numbers.into_iter().zip(places).zip(normals) {
            (self.positions[at as usize], self.normals[at as usize]) = (place, normal);
        }
        let more = 3 * faces as i64 - 3 * before.2 as i64;
        let corners = (before.1 as i64 + more) as usize;
        self.corners.resize(corners, 0);
        if let (Some(starts), Some(triangles)) = (&mut self.starts, &mut self.triangles) {
            starts.truncate(faces + 1);
            while starts.len() <= faces {
                starts.push(starts[starts.len() - 1] + 3);
            }
            triangles.truncate(corners - 2 * faces);
            while triangles.len() < corners - 2 * faces {
                let last = (corners - 3 * (corners - 2 * faces - triangles.len())) as u32;
                triangles.push([last, last + 1, last + 2]);
            }
        }
        let numbers = reader.words(new);
        for (face, corners) in numbers.into_iter().zip(reader.threes(new)) {
            let start = self.starts.as_ref().map_or(3 * face, |starts| starts[face as usize]);
            self.corners[start as usize..start as usize + 3].copy_from_slice(&corners);
        }
        assert!(reader.0.is_empty());
        let after = [vertices, corners, faces];
        for values in self.values.values_mut() {
            let before = [before.0, before.1, before.2];
            let placement = before.iter().position(|count| *count == values.len()).unwrap();
            values.resize(after[placement], [0; 4]);
        }
    }

    fn face_count(&self) -> usize {
        self.starts.as_ref().map_or(self.corners.len() / 3, |starts| starts.len() - 1)
    }
}

/// A part whose first faces are polygons and whose last ones triangles, with a set of each placement.
fn part() -> NewPart {
    let pieces = speckle_demo::piece("bollard").unwrap().make(speckle_demo::Detail::Usual);
    let whole = &pieces[0].mesh;
    let all = whole.cut(&Geometry::new(whole.clone()).triangulation().corners().concat());
    let mut arrays = MeshArrays::from(whole.clone());
    let half = whole.face_count() / 2;
    arrays.uv_sets.clear();
    arrays.face_starts.truncate(half + 1);
    arrays.corner_vertices.truncate(arrays.face_starts[half] as usize);
    let in_polygons = arrays.face_starts[half] as usize - 2 * half;
    for face in in_polygons..all.face_count() {
        arrays.corner_vertices.extend(&all.corner_vertices()[all.face_corners(face)]);
        arrays.face_starts.push(arrays.corner_vertices.len() as u32);
    }
    let mesh = Mesh::new(arrays).unwrap();
    let sets = [Placement::Vertex, Placement::Corner, Placement::Face].map(|placement| {
        let name = format!("{placement:?}");
        let mut set = NewSet::flooded(&name, placement, Encoding::Color, [0.5; 4], &mesh);
        for (i, value) in set.values.iter_mut().enumerate() {
            *value = [(i % 7) as f32 / 6.0, (i % 11) as f32 / 10.0, (i % 3) as f32 / 2.0, 1.0];
        }
        set
    });
    NewPart::new("Bollard", mesh, sets.to_vec())
}

/// Splits, flips and collapses here and there.
fn work(edit: &mut LocalEdit, seed: usize) {
    let mut done = [0; 3];
    for i in 0..600 {
        let corner = (seed + i * 7919) % edit.mesh().corner_count();
        match i % 3 {
            0 => done[0] += usize::from(edit.split(corner, 0.3).is_some()),
            1 => done[1] += usize::from(edit.flip(corner)),
            _ => done[2] += usize::from(edit.collapse(corner, 0.5)),
        }
    }
    assert!(done.iter().all(|count| *count > 5), "{done:?}");
}

#[tokio::test]
async fn a_page_is_sent_what_changed_of_a_mesh_and_has_then_what_there_is() {
    let store = Store::temporary().unwrap();
    let mut document = Document::default();
    let change = document.apply(Edit::bring_in(vec![part()])).unwrap();
    let project = store.create_with("Bollard", &change, "Puffin", 0, &document).unwrap();
    let part = document.parts()[0].id;
    for seed in [5, 17, 29] {
        let change = document.reshape(part, format!("Knead {seed}"), |e| work(e, seed)).unwrap();
        store.project(project).unwrap().append(&change, "Puffin", 0, &document).unwrap();
    }
    let address = serve(store).await;
    let mut own = join(address, project).await;
    let mut stage = Stage::default();
    hear(&mut own, "present", |frame| stage.take(frame)).await;
    let whole_meshes = |frame: &[u8]| usize::from(frame[0] == 1);
    let mut meshes = 0;
    for step in ["undo", "undo", "redo", "undo", "undo", "redo", "redo", "redo"] {
        say(&mut own, json!({ "type": step })).await;
        let reshaped = hear(&mut own, "reshaped", |_| panic!("nothing comes before it")).await;
        let mut frames = 0;
        // When it rests, all that takes a look at the whole mesh is told.
        let told = hear_each(&mut own, ["kept", "outline", "figures"], |frame| {
            meshes += whole_meshes(frame);
            frames += usize::from(frame[0] == 8);
            stage.take(frame);
        })
        .await;
        assert_eq!(frames, 1);
        assert_eq!(reshaped["vertices"], stage.positions.len());
        assert_eq!(reshaped["faces"], stage.face_count());
        assert_eq!(reshaped["corners"], stage.corners.len());
        let mut other = join_as(address, project, "Tern", json!([])).await;
        let mut wanted = Stage::default();
        hear(&mut other, "present", |frame| wanted.take(frame)).await;
        assert!(stage == wanted, "after {step}");
        drop(other);
        let told = &told[1]["outline"]["parts"][0];
        assert_eq!(told["mesh"], reshaped["mesh"]);
        assert_eq!(told["triangles"], reshaped["triangles"]);
        // Whoever comes back with that mesh is not sent it again.
        let held = json!([{ "part": told["id"], "mesh": told["mesh"] }]);
        let mut again = join_as(address, project, "Gull", held).await;
        hear(&mut again, "present", |frame| meshes += whole_meshes(frame)).await;
    }
    assert_eq!(meshes, 0, "no whole mesh went out");
}

/// A project of one part, open in a window that has heard all of it.
struct Opened {
    address: SocketAddr,
    project: i64,
    own: Socket,
    hello: Value,
    stage: Stage,
}

async fn opened(part: NewPart) -> Opened {
    let store = Store::temporary().unwrap();
    let mut document = Document::default();
    let change = document.apply(Edit::bring_in(vec![part])).unwrap();
    let project = store.create_with("Bollard", &change, "Puffin", 0, &document).unwrap();
    let address = serve(store).await;
    let mut own = join(address, project).await;
    let mut stage = Stage::default();
    let hello = hear(&mut own, "hello", |frame| stage.take(frame)).await;
    hear(&mut own, "present", |frame| stage.take(frame)).await;
    Opened { address, project, own, hello, stage }
}

/// The next that a window itself did and that is kept: what a mesh became while the pointer moved is nobody's.
async fn kept_by(hello: &Value, own: &mut Socket, stage: &mut Stage) -> Value {
    loop {
        let told = hear(own, "kept", |frame| stage.take(frame)).await;
        if told["by"] == hello["client"] {
            return told;
        }
    }
}

/// A stroke that cuts the mesh along its rim, and makes it finer: whoever looks on has then what there is,
/// also where the whole mesh is cut into triangles first; and so it is when it is undone and redone.
#[tokio::test]
async fn a_stroke_that_changes_the_mesh_is_seen_by_all() {
    for is_cut_before in [true, false] {
        let mut part = part();
        if is_cut_before {
            let corners = Geometry::new(part.mesh.clone()).triangulation().corners().concat();
            part.mesh = part.mesh.cut(&corners);
            let bare =
                NewSet::flooded("Vertex", Placement::Vertex, Encoding::Color, [0.5; 4], &part.mesh);
            part.sets = vec![bare];
        }
        let Opened { address, project, mut own, hello, mut stage } = opened(part).await;
        let faces = stage.face_count();
        let mut begin = stroke(&hello, [0.9, 0.1, 0.2, 1.0]);
        begin["start"]["brush"] =
            json!({ "radius": 30.0, "opacity": 1.0, "hardness": 1.0, "crisp": true, "finer": 9.0 });
        say(&mut own, begin).await;
        say(&mut own, moved(&[[0.0, 0.0], [12.0, 8.0]])).await;
        say(&mut own, json!({ "type": "stroke_end" })).await;
        for step in ["", "undo", "redo", "undo"] {
            if !step.is_empty() {
                say(&mut own, json!({ "type": step })).await;
            }
            kept_by(&hello, &mut own, &mut stage).await;
            let is_finer = step != "undo";
            assert_eq!(stage.face_count() > faces + 50, is_finer, "{step}, cut: {is_cut_before}");
            let mut other = join_as(address, project, "Tern", json!([])).await;
            let mut wanted = Stage::default();
            hear(&mut other, "present", |frame| wanted.take(frame)).await;
            assert!(stage == wanted, "after {step}, cut: {is_cut_before}");
        }
    }
}

/// A stroke that makes the mesh finer as the pointer moves: whoever looks on, or comes in the middle of it,
/// sees what there is; one undo takes all of it back, one redo brings it, and the history has one step. What
/// somebody else does in between stands in between.
#[tokio::test]
async fn a_mesh_becomes_finer_while_the_pointer_moves() {
    let Opened { address, project, mut own, hello, mut stage } = opened(part()).await;
    let whole = stage.face_count();
    let mut begin = stroke(&hello, [0.9, 0.1, 0.2, 1.0]);
    begin["start"]["brush"] =
        json!({ "radius": 30.0, "opacity": 1.0, "hardness": 1.0, "finer": 5.0 });
    let places = [[0.0, 0.0], [20.0, 12.0], [-30.0, -40.0], [40.0, -60.0]];
    say(&mut own, begin.clone()).await;
    let mut most = whole;
    for place in places {
        say(&mut own, moved(&[place])).await;
        hear(&mut own, "kept", |frame| stage.take(frame)).await;
        assert!(stage.face_count() > most, "it is finer before the pointer is lifted");
        most = stage.face_count();
        // All that was painted is heard when it is asked for something.
        let about = json!({ "type": "dab_ahead", "start": begin["start"], "sample": moved(&[place])["samples"][0] });
        inquire(&mut own, 3, about).await;
        hear_any(&mut own, &["ahead", "answered"], |frame| stage.take(frame)).await;
        let mut other = join_as(address, project, "Tern", json!([])).await;
        let mut wanted = Stage::default();
        hear(&mut other, "present", |frame| wanted.take(frame)).await;
        assert!(stage == wanted, "in the middle of the stroke");
    }
    say(&mut own, json!({ "type": "stroke_end" })).await;
    for (step, faces) in [("", most), ("undo", whole), ("redo", most), ("undo", whole)] {
        if !step.is_empty() {
            say(&mut own, json!({ "type": step })).await;
        }
        let told = kept_by(&hello, &mut own, &mut stage).await;
        assert!(told["label"].as_str().unwrap().contains("Skin stroke on Vertex"), "{told}");
        assert_eq!(stage.face_count(), faces, "after {step}");
        let (_, steps) = get(address, &format!("/api/v1/projects/{project}/steps")).await;
        let own_steps = if step == "undo" { 1 } else { 2 };
        assert_eq!(steps.as_array().unwrap().len(), own_steps, "{steps}");
    }

    say(&mut own, begin).await;
    say(&mut own, moved(&[[0.0, 0.0]])).await;
    hear(&mut own, "kept", |_| {}).await;
    let mut other = join_as(address, project, "Tern", json!([])).await;
    hear(&mut other, "present", |_| {}).await;
    let rename = json!({ "type": "rename_part", "part": hello["outline"]["parts"][0]["id"], "name": "Post" });
    let (status, _) = post(address, &format!("/api/v1/projects/{project}/edits"), rename).await;
    assert_eq!(status, 200);
    say(&mut own, moved(&[[60.0, 40.0]])).await;
    say(&mut own, json!({ "type": "stroke_end" })).await;
    kept(&mut own, "Skin stroke on Vertex", |_| {}).await;
    kept_by(&hello, &mut own, &mut stage).await;
    let (_, steps) = get(address, &format!("/api/v1/projects/{project}/steps")).await;
    let labels: Vec<_> = steps.as_array().unwrap().iter().map(|step| &step["label"]).collect();
    assert_eq!(labels.len(), 4, "{labels:?}");
    assert!(labels[1].as_str().unwrap().starts_with("Rename"), "{labels:?}");
}

/// How many triangles a dab will make is told before it is made, and then as many come.
#[tokio::test]
async fn what_a_dab_will_add_is_told_before() {
    let address = serve(Store::temporary().unwrap()).await;
    let project = bollard(address).await;
    let mut own = join(address, project).await;
    let hello = hear(&mut own, "hello", |_| {}).await;
    let mut begin = stroke(&hello, [0.9, 0.1, 0.2, 1.0]);
    begin["start"]["brush"] =
        json!({ "radius": 30.0, "opacity": 1.0, "hardness": 1.0, "crisp": true, "finer": 3.0 });
    let at = moved(&[[0.0, 0.0]]);
    let about = json!({ "type": "dab_ahead", "start": begin["start"], "sample": at["samples"][0] });
    inquire(&mut own, 7, about).await;
    let told = hear(&mut own, "ahead", |_| {}).await;
    let before = hello["outline"]["parts"][0]["triangles"].as_u64().unwrap();
    assert!(told["question"] == 7 && told["triangles"].as_u64() > Some(100), "{told}");
    for message in [begin, at, json!({ "type": "stroke_end" })] {
        say(&mut own, message).await;
    }
    kept_by(&hello, &mut own, &mut Stage::default()).await;
    let outline = hear(&mut own, "outline", |_| {}).await;
    let after = outline["outline"]["parts"][0]["triangles"].as_u64().unwrap();
    assert_eq!(Some(after - before), told["triangles"].as_u64());
}
