//! Small files that ask for a large memory or a long time. Each is told what is wrong with it, in
//! seconds, and what that took of memory is looked at: of the whole process, so that these tests are a
//! program of their own.

use std::{
    fmt::Write as _,
    io::Write as _,
    sync::atomic::Ordering,
    time::{Duration, Instant},
};

use speckle_formats::{Budget, FormatError, Import, Limits, MeshFile, ReadOptions, read_within};

/// The most memory this process has held so far, bytes; 0 where the system does not tell.
fn most_held() -> usize {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap_or("0 kB");
    line.trim().trim_end_matches(" kB").trim().parse::<usize>().unwrap_or(0) * 1024
}

/// Reads a file; it must end soon and take less than two gigabytes.
fn bounded(name: &str, bytes: &[u8]) -> Result<Import, FormatError> {
    let begun = Instant::now();
    let limits = Limits { seconds: 20, ..Limits::default() };
    let options = ReadOptions { limits, ..ReadOptions::default() };
    let budget = Budget::new(limits, bytes.len());
    let read = read_within(&MeshFile::alone(name, bytes), &options, &budget);
    let (took, most) = (begun.elapsed(), most_held());
    assert!(took < Duration::from_secs(25), "{name} of {} bytes took {took:?}", bytes.len());
    assert!(most < 2 << 30, "{name} of {} bytes took {most} bytes", bytes.len());
    read
}

fn refused(name: &str, bytes: &[u8]) -> String {
    match bounded(name, bytes) {
        Ok(import) => panic!("{name} was taken with {} parts", import.parts.len()),
        Err(error) => error.to_string(),
    }
}

fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn model(objects: &str, item: usize) -> Vec<u8> {
    let text = format!(
        "<model unit=\"millimeter\" xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\">\
         <resources>{objects}</resources><build><item objectid=\"{item}\"/></build></model>"
    );
    zipped(&[("3D/3dmodel.model", text.as_bytes())])
}

const TRIANGLE: &str = "<mesh><vertices><vertex x=\"0\" y=\"0\" z=\"0\"/><vertex x=\"1\" y=\"0\" z=\"0\"/>\
     <vertex x=\"0\" y=\"1\" z=\"0\"/></vertices><triangles><triangle v1=\"0\" v2=\"1\" v3=\"2\"/></triangles></mesh>";

/// All in one test: memory is that of the whole process.
#[test]
fn small_files_ask_for_no_large_memory_and_no_long_time() {
    // Objects that hold the one before twice, thirty deep: 2³⁰ triangles.
    for leaf in [TRIANGLE, "<components/>"] {
        let mut objects = format!("<object id=\"1\">{leaf}</object>");
        for id in 2..=30 {
            let inner = id - 1;
            let _ = write!(
                objects,
                "<object id=\"{id}\"><components><component objectid=\"{inner}\"/>\
                 <component objectid=\"{inner}\"/></components></object>"
            );
        }
        let said = refused("nested.3mf", &model(&objects, 30));
        assert!(said.contains("parts") || said.contains("places more"), "{said}");
    }

    // The same by USE in X3D and by DEF in VRML, and by instances of nodes in COLLADA.
    let shape = "<Shape><IndexedTriangleSet index=\"0 1 2\"><Coordinate point=\"0 0 0 1 0 0 0 1 0\"/>\
                 </IndexedTriangleSet></Shape>";
    let mut x3d = format!("<Group DEF=\"g0\">{shape}</Group>");
    let mut vrml =
        "DEF g0 Group { children [ Shape { geometry IndexedFaceSet { coord Coordinate { \
                    point [ 0 0 0, 1 0 0, 0 1 0 ] } coordIndex [ 0 1 2 -1 ] } } ] }\n"
            .to_owned();
    let mut nodes = "<node id=\"n0\"><instance_geometry url=\"#m\"/></node>".to_owned();
    for n in 1..=30 {
        let inner = n - 1;
        let _ = write!(
            x3d,
            "<Group DEF=\"g{n}\"><Group USE=\"g{inner}\"/><Group USE=\"g{inner}\"/></Group>"
        );
        let _ = writeln!(vrml, "DEF g{n} Group {{ children [ USE g{inner} USE g{inner} ] }}");
        let _ = write!(
            nodes,
            "<node id=\"n{n}\"><instance_node url=\"#n{inner}\"/><instance_node url=\"#n{inner}\"/></node>"
        );
    }
    refused("nested.x3d", format!("<X3D><Scene>{x3d}</Scene></X3D>").as_bytes());
    refused("nested.wrl", format!("#VRML V2.0 utf8\n{vrml}").as_bytes());
    let dae = format!(
        "<COLLADA><library_geometries><geometry id=\"m\"><mesh><source id=\"p\"><float_array count=\"9\">\
         0 0 0 1 0 0 0 1 0</float_array><technique_common><accessor stride=\"3\"/></technique_common>\
         </source><vertices id=\"v\"><input semantic=\"POSITION\" source=\"#p\"/></vertices>\
         <triangles count=\"1\"><input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><p>0 1 2</p>\
         </triangles></mesh></geometry></library_geometries><library_visual_scenes><visual_scene id=\"s\">\
         {nodes}</visual_scene></library_visual_scenes><scene><instance_visual_scene url=\"#s\"/></scene>\
         </COLLADA>"
    );
    refused("nested.dae", dae.as_bytes());

    // glTF: accessors without bytes behind them, sets of them, and a mesh used by many nodes.
    let accessors = vec![r#"{"componentType":5126,"count":4000000,"type":"VEC4"}"#; 64].join(",");
    let attributes: Vec<String> = (1..64).map(|n| format!("\"COLOR_{}\":{n}", n - 1)).collect();
    let gltf = format!(
        r#"{{"asset":{{"version":"2.0"}},"accessors":[{accessors}],"meshes":[{{"primitives":[
        {{"attributes":{{"POSITION":0,{}}}}}]}}],"nodes":[{{"mesh":0}}],"scenes":[{{"nodes":[0]}}]}}"#,
        attributes.join(",")
    );
    refused("empty.gltf", gltf.replace("VEC4", "VEC3").as_bytes());

    // A zip whose entries lie in each other: the central directory names one file many times.
    let inner = zipped(&[("a.ply", &vec![b'0'; 20 << 20])]);
    let end = inner.windows(4).rposition(|w| w == b"PK\x05\x06").unwrap();
    let central = inner.windows(4).rposition(|w| w == b"PK\x01\x02").unwrap();
    let mut overlapping = inner[..central].to_vec();
    let count: u16 = 200;
    for n in 0..count {
        let mut entry = inner[central..end].to_vec();
        let name = format!("{n:05}");
        let at = 46;
        entry[at..at + 5].copy_from_slice(name.as_bytes());
        overlapping.extend(entry);
    }
    let size = (overlapping.len() - central) as u32;
    let mut tail = inner[end..].to_vec();
    for at in [8, 10] {
        tail[at..at + 2].copy_from_slice(&count.to_le_bytes());
    }
    tail[12..16].copy_from_slice(&size.to_le_bytes());
    overlapping.extend(tail);
    refused("overlapping.zip", &overlapping);

    // Many attributes, many objects, many placements.
    let attributes: Vec<String> = (0..100_000).map(|n| format!("a{n}=\"\"")).collect();
    let said = refused("tags.x3d", format!("<X3D {}/>", attributes.join(" ")).as_bytes());
    assert!(said.contains("attributes"), "{said}");
    let mut obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\n".to_owned();
    (0..200_000).for_each(|n| _ = writeln!(obj, "o part{n}\nf 1 2 3"));
    let said = refused("objects.obj", obj.as_bytes());
    assert!(said.contains("20000 parts") && said.contains("--max-parts"), "{said}");
    let items: Vec<String> = vec!["<item objectid=\"1\"/>".to_owned(); 65_536];
    let text = format!(
        "<model><resources><object id=\"1\">{TRIANGLE}</object></resources><build>{}</build></model>",
        items.join("")
    );
    let said = refused("many.3mf", &zipped(&[("3D/3dmodel.model", text.as_bytes())]));
    assert!(said.contains("parts"), "{said}");

    // What is many and honest comes in: ten thousand parts of one name.
    let items = vec!["<item objectid=\"1\"/>"; 10_000].join("");
    let text = format!(
        "<model><resources><object id=\"1\" name=\"Pin\">{TRIANGLE}</object></resources><build>{items}</build></model>"
    );
    let import = bounded("pins.3mf", &zipped(&[("3D/3dmodel.model", text.as_bytes())])).unwrap();
    let begun = Instant::now();
    let mut document = speckle_core::Document::default();
    document.apply(speckle_core::Edit::bring_in(import.parts)).unwrap();
    assert_eq!(document.parts()[9_999].traits.name, "Pin 10000");
    assert!(begun.elapsed() < Duration::from_secs(5), "{:?}", begun.elapsed());

    // Two elements of one name: the second would be counted by the first.
    let ply = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n\
               property float z\nelement face 1\nproperty list uchar int vertex_indices\n\
               property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\n\
               property list uchar int vertex_indices\nproperty uchar red\nproperty uchar green\n\
               property uchar blue\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2 1 2 3\n3 0 1 2 1 2 3\n";
    let said = refused("twice.ply", ply.as_bytes());
    assert!(said.contains("line 12") && said.contains("declared twice"), "{said}");
}

#[test]
fn whoever_waits_can_end_it() {
    let limits = Limits::default();
    let bytes = model(&format!("<object id=\"1\">{TRIANGLE}</object>"), 1);
    let budget = Budget::new(limits, bytes.len());
    budget.given_up().store(true, Ordering::Relaxed);
    let file = MeshFile::alone("a.3mf", &bytes);
    let error = read_within(&file, &ReadOptions::default(), &budget).unwrap_err();
    assert!(error.cause.contains("given up"), "{error}");
}
