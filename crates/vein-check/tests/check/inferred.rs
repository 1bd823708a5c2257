//! What types expressions have, where nobody wrote them down.

use crate::checked;
use std::collections::BTreeMap;

const BEFORE: &str = "
shape Bed { id: number, crop: string, tone: 'dry' | 'moist', note: string?, beds: Bed[] }
takes bed: Bed
takes beds: Bed[]
takes maybe: Bed?
takes word: string?
takes count: number?
takes tone: 'dry' | 'moist'
takes own: { litres: number, tags: string[] }
takes grid: number[][]
";

/// The types of expressions, each as a derived value.
fn types(expressions: &[(&str, &str)]) -> BTreeMap<usize, String> {
    let mut text = BEFORE.to_owned();
    for (at, (expression, _)) in expressions.iter().enumerate() {
        text.push_str(&format!("derives v{at} = {expression}\n"));
    }
    text.push_str("<p>a</p>\n");
    let checked = checked(&text);
    let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
    let cells = program.plans[0].cells.iter();
    let named = cells.filter_map(|cell| {
        let at = cell.name.strip_prefix('v')?.parse().ok()?;
        Some((at, program.type_name(cell.ty)))
    });
    named.collect()
}

fn hold(expressions: &[(&str, &str)]) {
    let found = types(expressions);
    for (at, (expression, ty)) in expressions.iter().enumerate() {
        assert_eq!(found.get(&at).map(String::as_str), Some(*ty), "{expression}");
    }
}

#[test]
fn operators() {
    hold(&[
        ("1 + 2", "number"),
        ("1 + 'a'", "string"),
        ("'a' + 1", "string"),
        ("`${bed.id}`", "string"),
        ("-bed.id", "number"),
        ("!bed", "boolean"),
        ("bed.id < 3", "boolean"),
        ("bed.id === 3", "boolean"),
        ("word ?? 'none'", "string"),
        ("count ?? 0", "number"),
        ("word || 'none'", "string"),
        ("bed.id > 1 && bed.id < 3", "boolean"),
        ("bed.id > 1 ? 1 : 2", "number"),
        ("bed.id > 1 ? bed : null", "Bed?"),
        ("bed.id > 1 ? maybe : bed", "Bed?"),
        ("word ? word.length : null", "number?"),
        ("bed.id > 1 ? tone : bed.tone", "'dry' | 'moist'"),
        ("bed.id ** 2", "number"),
        ("tone + '!'", "string"),
    ]);
}

#[test]
fn members_and_positions() {
    hold(&[
        ("bed.tone", "'dry' | 'moist'"),
        ("bed.note", "string?"),
        ("bed.beds", "Bed[]"),
        ("maybe?.id", "number?"),
        ("maybe?.note", "string?"),
        ("maybe?.beds.length", "number?"),
        ("maybe?.beds[0]?.crop ?? ''", "string"),
        ("beds[0]", "Bed?"),
        ("beds.at(-1)", "Bed?"),
        ("grid[0]", "number[]?"),
        ("grid[0]?.[1] ?? 0", "number"),
        ("own.tags", "string[]"),
        ("own.tags[0]", "string?"),
        ("own", "{ litres: number, tags: string[] }"),
        ("bed.crop.length", "number"),
    ]);
}

#[test]
fn lists_and_records() {
    hold(&[
        ("[1, 2]", "number[]"),
        ("['a', word ?? '']", "string[]"),
        ("[bed, ...beds]", "Bed[]"),
        ("[1, null]", "number?[]"),
        ("[[1], [2, 3]]", "number[][]"),
        ("[...own.tags, 'a']", "string[]"),
        ("{ id: 1, crop: 'a' }", "{ id: number, crop: string }"),
        ("{ ...own, litres: 3 }", "{ litres: number, tags: string[] }"),
        ("{ bed, beds }", "{ bed: Bed, beds: Bed[] }"),
        ("{ a: { b: [1] } }.a.b", "number[]"),
        ("[{ a: 1 }, { a: 2 }]", "{ a: number }[]"),
    ]);
}

#[test]
fn members_of_the_standard() {
    hold(&[
        ("beds.filter(b => b.id > 1)", "Bed[]"),
        ("beds.map(b => b.crop)", "string[]"),
        ("beds.map(b => b.note)", "string?[]"),
        ("beds.map((b, i) => i)", "number[]"),
        ("beds.map(b => ({ id: b.id, wet: true }))", "{ id: number, wet: boolean }[]"),
        ("beds.find(b => b.id === 1)", "Bed?"),
        ("beds.find(b => b.id === 1)?.beds", "Bed[]?"),
        ("beds.findIndex(b => b.id === 1)", "number"),
        ("beds.some(b => b.id === 1)", "boolean"),
        ("beds.flatMap(b => b.beds)", "Bed[]"),
        ("beds.flatMap(b => [b.id])", "number[]"),
        ("beds.reduce((sum, b) => sum + b.id, 0)", "number"),
        ("beds.reduce((text, b) => text + b.crop, '')", "string"),
        ("beds.toSorted((a, b) => a.id - b.id)", "Bed[]"),
        ("beds.slice(1).concat([bed])", "Bed[]"),
        ("beds.with(0, bed)", "Bed[]"),
        ("beds.length", "number"),
        ("grid.map(row => row.length)", "number[]"),
        ("grid.flatMap(row => row)", "number[]"),
        ("own.tags.join('-')", "string"),
        ("'a,b'.split(',')", "string[]"),
        ("'a'.at(0)", "string?"),
        ("'a'[0]", "string?"),
        ("tone[0] ?? ''", "string"),
        ("word?.[0]", "string?"),
        ("'a'.trimStart() + 'b'.trimEnd()", "string"),
        ("'a'.lastIndexOf('b')", "number"),
        ("'a'.codePointAt(0)", "number?"),
        ("beds.findLast(b => b.id === 1)", "Bed?"),
        ("beds.findLastIndex(b => b.id === 1)", "number"),
        ("beds.lastIndexOf(bed)", "number"),
        ("beds.toSpliced(0, 1, bed, bed)", "Bed[]"),
        ("grid.flat()", "number[]"),
        ("[grid].flat()", "number[][]"),
        ("parseFloat('1') + parseInt('1', 2)", "number"),
        ("Number.isInteger(bed.id)", "boolean"),
        ("1_000 + 0x1_f", "number"),
        ("'a'.indexOf('b')", "number"),
        ("'a'.includes('b')", "boolean"),
        ("bed.id.toFixed(1)", "string"),
        ("Math.max(1, 2)", "number"),
        ("Math.PI", "number"),
        ("JSON.stringify(bed)", "string"),
        ("Number('1')", "number"),
        ("String(1)", "string"),
        ("Boolean(word)", "boolean"),
    ]);
}

#[test]
fn guards() {
    hold(&[
        ("maybe ? maybe.id : 0", "number"),
        ("maybe ? maybe : bed", "Bed"),
        ("maybe && maybe.id > 2", "boolean?"),
        ("maybe === null ? bed : maybe", "Bed"),
        ("maybe ?? bed", "Bed"),
        ("word !== null && word.length > 1 ? word : 'short'", "string"),
        ("count === null ? [] : [count]", "number[]"),
        ("maybe?.note ? maybe.note.length : 0", "number"),
        ("beds.filter(b => b.note).map(b => b.note ?? '')", "string[]"),
    ]);
}

#[test]
fn names_stand_for_types() {
    let before = "shape Level = 'low' | 'high'\nshape Levels = Level[]\nshape Maybe = Levels?\nshape Any = Level | 'none'\n\
                  shape Bed { level: Level, inner: Beds }\nshape Beds = Bed[]\nshape Alike = Bed\nshape Deep = { beds: Beds }[]?\n";
    for (written, ty) in [
        ("Level", "'low' | 'high'"),
        ("Levels", "('low' | 'high')[]"),
        ("Maybe", "('low' | 'high')[]?"),
        ("Any", "'low' | 'high' | 'none'"),
        ("Beds", "Bed[]"),
        ("Alike", "Bed"),
        ("Alike?", "Bed?"),
        ("Deep", "{ beds: Bed[] }[]?"),
    ] {
        let checked = checked(&format!(
            "{before}takes a: {written}\nderives v = a\n<p title=\"<- v === a\">b</p>\n"
        ));
        let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
        let cell = program.plans[0].cells.iter().find(|cell| &*cell.name == "v").expect("a cell");
        assert_eq!(program.type_name(cell.ty), ty, "{written}");
    }
}

#[test]
fn defaults_tell_their_types() {
    for (default, ty) in [
        ("'a'", "string"),
        ("-1.5", "number"),
        ("0", "number"),
        ("true", "boolean"),
        ("`a`", "string"),
    ] {
        let checked =
            checked(&format!("takes a = {default}\nshares b = {default}\n<p>{{a}}{{b}}</p>\n"));
        let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
        for cell in &program.plans[0].cells[..2] {
            assert_eq!(program.type_name(cell.ty), ty, "{default}");
        }
    }
}
