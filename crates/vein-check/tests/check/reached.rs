//! What each expression reads is known before anything runs.

use crate::checked;
use vein_plan::{CellKind, Extent, Plan, Program, ReadStep, Reads};

/// The reads of the derived value `x`: `fixed: …` or `followed: …`.
fn reads(expression: &str) -> String {
    let text = format!(
        "shape Bed {{ crop: string, n: number, next: Bed? }}\ntakes beds: Bed[]\ntakes bed: Bed\n\
         takes maybe: Bed?\ntakes i: number\ntakes flag: boolean\nderives x = {expression}\n<p>a</p>"
    );
    let checked = checked(&text);
    let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
    let plan = &program.plans[0];
    let found = plan.cells.iter().find(|cell| &*cell.name == "x").expect("x");
    let CellKind::Derived(_, reads) = &found.kind else { panic!("derived") };
    let kind = if matches!(reads, Reads::Fixed(_)) { "fixed" } else { "followed" };
    let mut paths: Vec<String> =
        reads.paths().iter().map(|read| path(&program, plan, read)).collect();
    paths.sort();
    format!("{kind}: {}", paths.join(" "))
}

fn path(program: &Program, plan: &Plan, read: &vein_plan::PlanRead) -> String {
    let steps: String = read
        .path
        .iter()
        .map(|step| match step {
            ReadStep::Field(name) => format!(".{}", program.names[*name as usize]),
            ReadStep::AnyItem => "[*]".into(),
        })
        .collect();
    let extent = match read.extent {
        Extent::Whole => "",
        Extent::Length => "#",
        Extent::Presence => "?",
        Extent::Position => "@",
    };
    format!("{}{steps}{extent}", plan.cells[read.cell as usize].name)
}

#[test]
fn reads_are_known_by_path() {
    for (expression, expected) in [
        ("1 + 2", "fixed: "),
        ("bed.crop", "fixed: bed.crop"),
        ("bed.n + bed.n * i", "fixed: bed.n i"),
        ("`${bed.crop} ${i}`", "fixed: bed.crop i"),
        ("bed", "fixed: bed"),
        ("beds.length", "fixed: beds#"),
        ("flag ? 'a' : 'b'", "fixed: flag"),
        ("!flag", "fixed: flag"),
        ("maybe === null", "fixed: maybe?"),
        ("maybe ? 1 : 2", "fixed: maybe?"),
        ("JSON.stringify(bed)", "fixed: bed"),
        ("Math.max(i, bed.n)", "fixed: bed.n i"),
        ("flag && flag", "fixed: flag"),
        ("flag ? bed.crop : ''", "followed: bed.crop flag"),
        ("maybe?.crop", "followed: maybe.crop maybe?"),
        ("maybe?.next?.n ?? i", "followed: i maybe.next.n maybe.next.n? maybe.next? maybe?"),
        ("beds[i]?.crop", "followed: beds[*].crop beds[*]? i"),
        ("beds.map(b => b.crop).join()", "followed: beds# beds[*].crop"),
        ("beds.filter(b => b.n > i).length", "followed: beds# beds[*].n i"),
        ("beds.some(b => b.n > 1)", "followed: beds# beds[*].n"),
        ("beds.find(b => b.n === i)?.crop", "followed: beds# beds[*].crop beds[*].n beds[*]? i"),
        (
            "beds.toSorted((a, b) => a.n - b.n)[0]?.crop",
            "followed: beds# beds[*].crop beds[*].n beds[*]?",
        ),
        ("beds.reduce((sum, b) => sum + b.n, 0)", "followed: beds# beds[*].n"),
    ] {
        assert_eq!(reads(expression), expected, "{expression}");
    }
}
