//! What each expression reads is known before anything runs.

use crate::checked;
use vein_plan::{CellKind, Extent, Plan, Program, ReadStep, Reads};

/// The reads of the derived value `x`: `fixed: …` or `followed: …`.
fn reads(expression: &str) -> String {
    let text = format!(
        "shape Bed {{ crop: string, n: number, next: Bed? }}\ntakes beds: Bed[]\ntakes bed: Bed\n\
         takes maybe: Bed?\ntakes i: number\ntakes litres: number{{}}\ntakes all: Bed{{}}\ntakes flag: boolean\nderives x = {expression}\n<p>a</p>"
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
        Extent::Keys => " keys",
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
        ("litres['tea'] ?? 0", "followed: litres.tea litres.tea?"),
        ("litres['tea']", "fixed: litres.tea"),
        ("litres[i]", "followed: i litres[*]"),
        ("'tea' in litres", "fixed: litres.tea@"),
        ("bed.crop in litres", "followed: bed.crop litres[*]@"),
        ("Object.keys(litres).length", "fixed: litres keys"),
        ("Object.values(all).map(b => b.crop).join()", "followed: all keys all[*].crop"),
        ("{ ...litres, [bed.crop]: i }", "fixed: bed.crop i litres"),
        ("all['a']?.crop ?? ''", "followed: all.a.crop all.a.crop? all.a?"),
        ("/^a/.test(bed.crop)", "fixed: bed.crop"),
        ("beds.reduce((sum, b) => sum + b.n, 0)", "followed: beds# beds[*].n"),
    ] {
        assert_eq!(reads(expression), expected, "{expression}");
    }
}

#[test]
fn the_map_knows_dictionaries_by_key() {
    let text = "
holds litres: number{} = { tea: 1 }
holds name = 'mint'
does fill() { litres[name] = 1 }
does drop() { delete litres['tea'] }
does mint() { if ('mint' in litres) litres['mint'] += 1 }
<p id='tea'>{litres['tea'] ?? 0}</p><p id='mint'>{litres['mint'] ?? 0}</p><p id='some'>{litres[name] ?? 0}</p>
<p id='keys'>{Object.keys(litres).join()}</p>
<i click='-> fill()'></i><i click='-> drop()'></i><i click='-> mint()'></i>
";
    let checked = checked(text);
    let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
    let map = vein_check::reach_map(&program, &program.plans[0]);
    let short = |part: usize| map.parts[part].replace(" text", "").replace("p#", "");
    let paths = map.paths.iter().map(|path| {
        let parts: Vec<String> = path.parts.iter().map(|part| short(part.part)).collect();
        format!("{}: {}", path.path, parts.join(" "))
    });
    assert_eq!(
        paths.collect::<Vec<_>>(),
        [
            "litres: tea mint some keys",
            "litres.mint: mint some keys",
            "litres.tea: tea some keys",
            "litres[*]: tea mint some keys",
            "name: some",
        ]
    );
    let actions = map.actions.iter().take(3).map(|action| {
        let parts: Vec<String> = action.parts.iter().map(|part| short(*part)).collect();
        format!("{}: {} | {}", action.name, action.writes.join(" "), parts.join(" "))
    });
    assert_eq!(
        actions.collect::<Vec<_>>(),
        [
            "fill: litres[*] | tea mint some keys",
            "drop: litres.tea | tea some keys",
            "mint: litres.mint | mint some keys",
        ]
    );
}

#[test]
fn the_map_leads_from_state_and_handlers_to_parts() {
    let text = "
gives done(n: number)
takes title: string
holds beds: { crop: string, wet: boolean }[] = []
holds n = 0
derives count = beds.length
derives label = `${count} beds`
derives wet = beds.filter(b => b.wet).length
does add(crop: string) { beds.push({ crop, wet: false }); step() }
does step() { n += 1; give done(n) }
<h1>{title}</h1>
<p id='label'>{label}</p><p id='wet'>{wet}</p><p id='first'>{beds[0]?.crop}</p><p id='n'>{n}</p>
<i id='a' click=\"-> add('leek')\"></i>
<i id='b' click='-> for (const b of beds) b.wet = true'></i>
<i id='c' click='-> beds.reverse()'></i>
<i id='d' click='-> step'></i>
";
    let checked = checked(text);
    let program = checked.program.unwrap_or_else(|| panic!("{}", checked.report));
    let map = vein_check::reach_map(&program, &program.plans[0]);
    let short = |part: usize| map.parts[part].replace(" text", "").replace("p#", "");
    let paths: Vec<String> = map
        .paths
        .iter()
        .map(|path| {
            let parts = path.parts.iter().map(|p| match p.through.as_slice() {
                [] => short(p.part),
                through => format!("{} ({})", short(p.part), through.join(" ")),
            });
            format!("{}: {}", path.path, parts.collect::<Vec<_>>().join(", "))
        })
        .collect();
    assert_eq!(
        paths,
        [
            "title: h1",
            "beds: label (count label), wet (wet), first",
            "beds[*]: wet (wet), first",
            "beds[*].crop: first",
            "beds[*].wet: wet (wet)",
            "n: n",
        ]
    );
    let actions: Vec<String> = map
        .actions
        .iter()
        .map(|action| {
            let parts: Vec<String> = action.parts.iter().map(|part| short(*part)).collect();
            let (writes, gives) = (action.writes.join(" "), action.gives.join(" "));
            format!("{}: {writes} | {gives} | {}", action.name, parts.join(" "))
        })
        .collect();
    assert_eq!(
        actions,
        [
            "add: beds n | done | label wet first n",
            "step: n | done | n",
            "i#a click: beds n | done | label wet first n",
            "i#b click: beds[*].wet |  | wet",
            "i#c click: beds[*] |  | wet first",
            "i#d click: n | done | n",
        ]
    );
}
