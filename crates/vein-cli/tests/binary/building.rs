//! What `vein build` writes.

use crate::building_of::{TILE, asset, build, built, counting, project};
use crate::running::glasshouse;
use std::path::Path;
use tempfile::TempDir;

#[test]
fn names_say_what_is_inside_and_an_older_build_is_replaced() {
    let host = [
        ("host.js", "export { soil } from './soil.js';\n"),
        ("soil.js", "export const soil = 'loam';\n"),
    ];
    let project = counting(&host);
    // Inside the project, where the next build looks for components.
    let out = project.path().join("dist");
    let said = built(&["count-up"], project.path(), &out);
    assert!(said.contains("brotli") && said.contains("main-"), "{said}");
    let (main, styles) = (asset(&out, "main-", ".mjs"), asset(&out, "styles-", ".css"));
    // Files of somebody else's, of which one is called as ours are, and a list that was tampered with.
    let others = ["robots.txt", "assets/photo-1700000000.jpg", "kept/host-1700000000/host.js"];
    for other in others {
        let file = out.join(other);
        std::fs::create_dir_all(file.parent().expect("a folder")).expect("a folder");
        std::fs::write(file, "").expect("a file of somebody else's");
    }
    let list = out.join("assets/built.txt");
    let listed = std::fs::read_to_string(&list).expect("a list");
    assert_eq!(listed.lines().count(), 6, "{listed}");
    let tampered = format!("{listed}kept/host-1700000000/host.js\nassets/../robots.txt\n");
    std::fs::write(&list, tampered).expect("a list");
    built(&["count-up"], project.path(), &out);
    assert!(main.exists() && styles.exists(), "the same content has the same name");
    let other = "holds count = 5\n\n<button click=\"-> count++\">{count}</button>\n";
    std::fs::write(project.path().join("count-up.vein"), other).expect("a component");
    built(&["count-up"], project.path(), &out);
    assert!(!main.exists() && styles.exists(), "the script is another, the styles are not");
    for other in others {
        assert!(out.join(other).exists(), "{other} was not built, and stays");
    }
    let html = std::fs::read_to_string(out.join("index.html")).expect("a page");
    assert!(html.contains("<button>5</button>") && html.contains("script-src 'self';"), "{html}");
    // Whatever is imported is asked for at once.
    let links: Vec<&str> = html.lines().filter(|line| line.contains("modulepreload")).collect();
    for script in ["assets/main-", "/host.js", "/soil.js"] {
        assert!(links.iter().any(|link| link.contains(script)), "{script}: {links:?}");
    }
    // Nothing begins at the root of the server, or elsewhere.
    let absolute = ["src=\"/", "href=\"/", "http://", "https://"];
    assert!(absolute.iter().all(|begin| !html.contains(begin)), "{html}");
    // A host's folder goes with its files.
    std::fs::remove_file(project.path().join("host.js")).expect("a file of the host");
    let folders = || {
        let entries = std::fs::read_dir(out.join("assets")).expect("a folder").flatten();
        entries.filter(|entry| entry.path().is_dir()).count()
    };
    assert_eq!(folders(), 1);
    built(&["count-up"], project.path(), &out);
    assert_eq!(folders(), 0, "the host and its folder are gone");
}

#[test]
fn types_say_what_the_components_declare() {
    let dir = TempDir::new().expect("a folder");
    let types = dir.path().join("vein.d.ts");
    let path = types.to_string_lossy().into_owned();
    built(&["--types", &path], glasshouse(), &dir.path().join("dist"));
    let text = std::fs::read_to_string(&types).expect("declarations");
    for line in [
        "export interface Bed {\n  id: number;\n  crop: string;\n  moisture: number;\n  note?: string | null;\n}",
        "export interface Props {\n  benches: Array<Bench>;\n}",
        "  order: \"bench\" | \"dry\";",
        "  \"tank.litres\": number;",
        "  \"tank.draw\": [wanted: number];",
        "  pour: [bench: number, bed: number, litres: number];",
        "  season(): string;",
        "  fetch_forecast(day: number, asked: Asked): Promise<Forecast> | Forecast;",
        "  moisture_sensor(bed: number, asked: Asked): AsyncIterable<number> | Iterable<number>;",
    ] {
        assert!(text.contains(line), "{line}\n---\n{text}");
    }
    assert!(!dir.path().join("dist").exists(), "nothing else is made");
}

#[test]
fn what_cannot_be_an_element_is_told() {
    let refused = |text: &str, arguments: &[&str]| {
        let dir = project(text);
        let done = build(
            &[&["--element", "bed-tile"], arguments].concat(),
            dir.path(),
            &dir.path().join("dist"),
        );
        assert_eq!(done.status.code(), Some(2));
        assert!(!Path::new(&dir.path().join("dist")).exists(), "nothing is written");
        String::from_utf8_lossy(&done.stderr).into_owned()
    };
    let said = refused(TILE, &["--reflect", "wet"]);
    assert!(said.contains("takes no prop `wet`") && said.contains("moisture"), "{said}");
    let said = refused("takes title: string = ''\n\n<p>{title}</p>\n", &[]);
    assert!(said.contains("`title`, which every element"), "{said}");
    let said = refused(
        "takes crops: string[] = []\n\n<ul><li each=\"crop of crops\"><slot name=\"cell\" row=\"<- crop\"></slot></li></ul>\n",
        &[],
    );
    assert!(said.contains("hands values back"), "{said}");
}
