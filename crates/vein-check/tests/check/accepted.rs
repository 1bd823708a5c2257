//! Programs that are right and must be told nothing, and programs that differ from them by one
//! step too far.

use crate::{checked, codes};

/// Declarations that all of these share; each is read in the last line.
const BEFORE: &str = "
shape Bed { id: number, crop: string, tone: 'dry' | 'moist', note: string?, next: Bed? }
takes bed: Bed
takes beds: Bed[]
takes maybe: Bed?
takes word: string?
takes count: number?
gives done(what: string, bed: Bed)
holds list: number[] = []
holds own: Bed[] = []
holds picked: Bed? = null
holds text = ''
holds tone: 'dry' | 'moist' = 'dry'
";

const AFTER: &str = "
<p>{bed.crop} {beds.length} {maybe?.crop} {word} {count} {list.length} {own.length} {picked?.id} \
{text} {tone}</p>
<button click=\"-> give done('', bed)\">a</button>
";

fn verdict(declaration: &str, markup: &str) -> Vec<String> {
    let checked = checked(&format!("{BEFORE}{declaration}\n{AFTER}{markup}"));
    let found: Vec<String> = codes(&checked).into_iter().map(str::to_owned).collect();
    assert_eq!(found.is_empty(), checked.program.is_some(), "{}", checked.report);
    found
}

#[test]
fn guards_are_understood() {
    for expression in [
        "word ? word.length : 0",
        "word && word.length > 2",
        "!word || word.length > 2",
        "word !== null ? word.trim() : ''",
        "word === null ? '' : word.trim()",
        "null !== word && word.includes('a')",
        "maybe ? maybe.crop : 'none'",
        "maybe?.next?.crop ?? 'none'",
        "maybe?.next ? maybe.next.id : 0",
        "maybe?.crop.length ?? 0",
        "maybe && maybe.next && maybe.next.note ? maybe.next.note.length : 0",
        "(count ?? 0) + 1",
        "count === 3 ? count + 1 : 0",
        "beds[0]?.crop.toUpperCase()",
        "beds.find(b => b.id === 3)?.note?.length",
        "beds.filter(b => b.note && b.note.length > 3).length",
        "beds.map(b => b.next ? b.next.id : b.id).join()",
        "word ? (count ? word.repeat(count) : word) : ''",
        "!(word === null || count === null) ? word.repeat(count) : ''",
        "bed.tone === 'dry' ? 1 : 2",
        "tone === 'dry' ? bed.tone : tone",
    ] {
        assert_eq!(
            verdict("", &format!("<p>{{{expression}}}</p>")),
            Vec::<String>::new(),
            "{expression}"
        );
    }
}

#[test]
fn what_is_shown_may_be_of_different_types() {
    for shown in [
        "count ?? '–'",
        "word ?? count ?? 0",
        "text || count || list.length",
        "list.length > 0 ? list.length : 'none'",
        "list.length > 0 ? 'some' : null",
        "list.length > 0 && (count ?? text) || bed.id",
        "(list.length > 0 ? text : count) ?? false",
    ] {
        for markup in [
            format!("<p>{{{shown}}}</p>"),
            format!("<p title=\"<- {shown}\" class=\"a {{{shown}}}\">b</p>"),
        ] {
            assert_eq!(verdict("", &markup), [""; 0], "{shown}");
        }
    }
    for (shown, code) in [
        ("count ?? own", "unshowable"),
        ("text || bed", "unshowable"),
        ("list.length > 0 ? list : 'none'", "unshowable"),
        ("text ?? 1", "condition-settled"),
        ("own ?? text", "condition-settled"),
        ("nobody ?? text", "unknown-name"),
    ] {
        let checked = checked(&format!("{BEFORE}{AFTER}<p>{{{shown}}}</p>"));
        let found = codes(&checked);
        assert!(found.contains(&code), "{shown}: {found:?}");
    }
}

#[test]
fn one_step_beyond_a_guard_is_told() {
    for expression in [
        "word.length",
        "word || word.length > 2",
        "!word && word.length > 2",
        "word === null ? word.trim() : ''",
        "maybe ? maybe.next.crop : 'none'",
        "count + 1",
        "beds[0].crop",
        "beds.find(b => b.id === 3).crop",
        "beds.map(b => b.next.id).join()",
    ] {
        assert_eq!(
            verdict("", &format!("<p>{{{expression}}}</p>")),
            ["may-be-null"],
            "{expression}"
        );
    }
}

#[test]
fn handlers_that_are_right_are_told_nothing() {
    for body in [
        "text = 'a'; text += 1; text += word ?? ''",
        "list.push(1, 2); list.splice(0, 1); list.sort((a, b) => b - a); list.reverse()",
        "const last = list.pop(); if (last !== null) list.unshift(last)",
        "own.push({ id: 1, crop: 'leek', tone: 'dry' })",
        "own.push({ ...bed, id: own.length })",
        "own[0].crop = 'kale'; own[0].next = bed; own[0].note = null; own[list.length].id++",
        "for (const b of own) { b.crop = b.crop + '!'; b.tone = b.tone === 'dry' ? 'moist' : 'dry' }",
        "for (const b of beds) text += b.crop",
        "for (const b of own.filter(b => b.id > 1)) { list.push(b.id) }",
        "picked = beds[0]; if (picked) text = picked.crop",
        "picked = bed; text = picked.crop; picked.crop = 'pea'; picked = null",
        "if (!picked) return; text = picked.crop",
        "if (word) { text = word } else if (count) { list.push(count) } else { return }",
        "const a = word ?? 'x'; const b = a.length; if (b > 1) { const a = b; list.push(a) }",
        "tone = bed.tone; tone = 'moist'; own = []; own = beds; list = [...list, 1]",
        "give done(text, bed); give done(`${list.length}`, { ...bed, note: 'x' })",
        "list[0] = 1; list[list.length - 1] -= 2; list[0] **= 2; --list[0]",
    ] {
        let declaration = format!("does act() {{ {body} }}");
        let found = verdict(&declaration, "<i click='-> act()'></i>");
        assert_eq!(found, Vec::<String>::new(), "{body}");
    }
}

#[test]
fn handlers_that_are_wrong_are_told_once() {
    for (body, code) in [
        ("text = 1", "wrong-type"),
        ("tone = 'wet'", "wrong-type"),
        ("tone = text", "wrong-type"),
        ("list.push('a')", "wrong-type"),
        ("own.push({ id: 1, crop: 'leek' })", "missing-field"),
        ("own.push({ id: 1, crop: 'leek', tone: 'dry', colour: 1 })", "unknown-field"),
        ("picked.crop = 'a'", "may-be-null"),
        ("picked = bed; act(); text = picked.crop", "may-be-null"),
        ("if (picked) { picked = null; text = picked.crop }", "may-be-null"),
        ("for (const b of beds) b.crop = 'a'", "cannot-assign"),
        ("for (const b of own.map(b => b)) b.crop = 'a'", "cannot-assign"),
        ("for (const b of text) {}", "wrong-type"),
        ("const a = 1; a += 1", "cannot-assign"),
        ("give done(text)", "wrong-arguments"),
        ("give done(bed, text)", "wrong-type"),
        ("act(1)", "wrong-arguments"),
        ("text.trim()", "no-effect"),
        ("list.map(x => x)", "no-effect"),
        ("list.length", "no-effect"),
        ("list.push()", "wrong-arguments"),
        ("list.pop(1)", "wrong-arguments"),
        ("own[0].colour = 1", "unknown-field"),
        ("text.x = 1", "unknown-field"),
        ("if (beds) text = 'a'", "condition-settled"),
    ] {
        let declaration = format!("does act() {{ {body} }}");
        let mut found = verdict_or_warning(&declaration);
        found.dedup();
        assert_eq!(found, [code], "{body}");
    }
}

fn verdict_or_warning(declaration: &str) -> Vec<String> {
    let text = format!("{BEFORE}{declaration}\n{AFTER}<i click='-> act()'></i>");
    codes(&checked(&text)).into_iter().map(str::to_owned).collect()
}

#[test]
fn declarations_may_stand_in_any_order() {
    let checked = checked(
        "derives c = b + 1\nderives b = a * 2\nholds a = start\ntakes start: number\n\
         does go() { a += step() }\n<p click='-> go'>{c}</p>"
            .replace("step()", "c")
            .as_str(),
    );
    let program = checked.program.expect("it checks");
    let names: Vec<&str> = program.plans[0].cells.iter().map(|cell| &*cell.name).collect();
    assert_eq!(names, ["start", "a", "b", "c"], "each after those that it reads");
}
