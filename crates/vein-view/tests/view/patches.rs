//! The binary form of patches: what is written is read, what is damaged is refused.

use crate::build::{batch, listener, nodes, tree};
use proptest::prelude::*;
use vein_plan::Property;
use vein_view::{ApplyError, Batch, BatchError, Patch, Template, Tree};

fn sample() -> Template {
    let items = [
        "svg:svg viewBox=0 *",
        "svg:path d=M0",
        "/",
        "/",
        "p .a *",
        "\"täxt 😀",
        "{",
        "i",
        "/",
        "/",
    ];
    let listeners = vec![
        listener(0, 3, "click", &["prevent"]),
        listener(1, 300, "keydown", &["stop", "self", "key:Enter"]),
    ];
    Template { nodes: nodes(&items), listeners }
}

/// Any patch; numbers and strings of all lengths.
fn any_patch() -> impl Strategy<Value = (u8, u32, String, String, bool)> {
    (
        0..10u8,
        prop_oneof![0..5u32, any::<u32>()],
        "\\PC{0,20}",
        "[a-z]{0,3}(😀|ä){0,2}",
        any::<bool>(),
    )
}

fn push(batch: &mut Batch, (kind, n, text, name, flag): &(u8, u32, String, String, bool)) {
    let node = *n;
    batch.push(&match kind {
        0 => Patch::Template { number: node, template: Box::new(sample()) },
        1 => Patch::Clone { template: node, parent: node / 2, before: node / 3, first: node },
        2 => Patch::Text { node, text },
        3 => Patch::SetAttribute { node, name, value: text },
        4 => Patch::RemoveAttribute { node, name },
        5 => Patch::SetProperty { node, property: Property::Value, value: text },
        6 => Patch::Remove { node },
        7 => Patch::Move { node, parent: node / 2, before: node / 3 },
        8 => Patch::Done { node, listener: node / 2 },
        _ => Patch::SetFlag { node, property: Property::Checked, on: *flag },
    });
}

proptest! {
    #[test]
    fn what_is_written_is_read(patches in proptest::collection::vec(any_patch(), 0..12)) {
        let mut batch = Batch::default();
        patches.iter().for_each(|patch| push(&mut batch, patch));
        let read = Batch::from_bytes(&batch.to_bytes()).expect("what was written");
        prop_assert_eq!(read.len(), patches.len());
        prop_assert_eq!(&read, &batch);
        prop_assert!(read.iter().eq(batch.iter()));
    }

    #[test]
    fn damage_is_refused_or_read_whole(
        patches in proptest::collection::vec(any_patch(), 1..6), at in 0..400usize, with in any::<u8>()
    ) {
        let mut batch = Batch::default();
        patches.iter().for_each(|patch| push(&mut batch, patch));
        let mut bytes = batch.to_bytes();
        let at = at % bytes.len();
        prop_assert!(Batch::from_bytes(&bytes[..at]).is_err(), "cut at {}", at);
        bytes[at] = with;
        if let Ok(read) = Batch::from_bytes(&bytes) {
            prop_assert_eq!(read.iter().count(), read.len());
            let mut tree = Tree::default();
            let _ = tree.apply(&read);
            let _ = tree.html();
        }
    }

    #[test]
    fn any_bytes_are_refused_or_read(bytes in proptest::collection::vec(any::<u8>(), 0..60)) {
        let _ = Batch::from_bytes(&bytes);
        let mut labelled = Batch::default().to_bytes();
        labelled[8] = bytes.len() as u8;
        labelled.extend(&bytes);
        Batch::seal(&mut labelled);
        match Batch::from_bytes(&labelled) {
            Ok(batch) => prop_assert_eq!(batch.iter().count(), batch.len()),
            Err(error) => prop_assert!(matches!(error, BatchError::Malformed(_)), "{}", error),
        }
    }
}

#[test]
fn refusals_say_why() {
    assert_eq!(Batch::from_bytes(b"VP"), Err(BatchError::NotABatch));
    assert_eq!(Batch::from_bytes(&[0; 16]), Err(BatchError::NotABatch));
    let mut newer = Batch::default().to_bytes();
    newer[2] = 5;
    assert_eq!(Batch::from_bytes(&newer), Err(BatchError::Version(5)));
    let mut second = batch(&[Patch::Text { node: 1, text: "" }]).to_bytes();
    second[8] = 4;
    second.push(99);
    assert_eq!(Batch::from_bytes(&second), Err(BatchError::Damaged));
    Batch::seal(&mut second);
    assert_eq!(Batch::from_bytes(&second), Err(BatchError::Malformed(1)));
}

#[test]
fn no_damaged_bit_goes_unnoticed() {
    let bytes = batch(&[
        Patch::Text { node: 3, text: "57.5 l" },
        Patch::SetAttribute { node: 4, name: "class", value: "dry" },
        Patch::Remove { node: 5 },
    ])
    .to_bytes();
    for bit in 0..bytes.len() * 8 {
        let mut damaged = bytes.clone();
        damaged[bit / 8] ^= 1 << (bit % 8);
        assert!(Batch::from_bytes(&damaged).is_err(), "bit {bit}");
    }
}

#[test]
fn markup_that_contradicts_itself_is_refused() {
    let template = |items: &[&str], listeners: Vec<vein_view::TemplateListener>| {
        let template = Box::new(Template { nodes: nodes(items), listeners });
        Batch::from_bytes(&batch(&[Patch::Template { number: 0, template }]).to_bytes()).map(|_| ())
    };
    let click = |mark| vec![listener(mark, 0, "click", &[])];
    let bad = Err(BatchError::Malformed(0));
    assert_eq!(template(&["p *", "{", "/"], click(0)), Ok(()));
    assert_eq!(template(&["p *", "{", "/"], click(1)), bad, "a text hears nothing");
    assert_eq!(template(&["p *", "{", "/"], click(2)), bad, "nothing has that mark");
    // A listener has five flags; its last two bytes are those and how many fields it reads.
    for listeners in [click(0), vec![listener(0, 0, "focus", &[])]] {
        let heard = Box::new(Template { nodes: nodes(&["p *", "/"]), listeners });
        let mut bytes = batch(&[Patch::Template { number: 0, template: heard }]).to_bytes();
        let flags = bytes.len() - 2;
        for bit in [5, 6, 7] {
            bytes[flags] ^= 1 << bit;
            Batch::seal(&mut bytes);
            assert_eq!(Batch::from_bytes(&bytes).map(|_| ()), bad, "bit {bit}");
            bytes[flags] ^= 1 << bit;
        }
    }
    assert_eq!(template(&["p"], vec![]), bad, "it is never closed");
    assert_eq!(template(&["/", "p"], vec![]), bad);
    assert_eq!(template(&["p", "/", "/"], vec![]), bad);
}

/// A patch that does not fit is refused; those before it stand.
#[test]
fn patches_that_do_not_fit_are_refused() {
    let items = &["p *", "{", "/"];
    let template = || Box::new(Template { nodes: nodes(items), listeners: vec![] });
    let good = Patch::Text { node: 2, text: "changed" };
    let clone = |template, parent, before, first| Patch::Clone { template, parent, before, first };
    for (bad, error) in [
        (Patch::Text { node: 1, text: "" }, ApplyError::NoSuchNode(1)),
        (Patch::Text { node: 0, text: "" }, ApplyError::NoSuchNode(0)),
        (Patch::SetAttribute { node: 2, name: "a", value: "" }, ApplyError::NoSuchNode(2)),
        (Patch::RemoveAttribute { node: 9, name: "a" }, ApplyError::NoSuchNode(9)),
        (
            Patch::SetFlag { node: u32::MAX, property: Property::Checked, on: true },
            ApplyError::NoSuchNode(u32::MAX),
        ),
        (clone(7, 0, 0, 9), ApplyError::NoSuchTemplate(7)),
        (clone(0, 2, 0, 9), ApplyError::NoSuchNode(2)),
        (clone(0, 0, 2, 9), ApplyError::NoSuchPlace(2)),
        (clone(0, 0, 9, 9), ApplyError::NoSuchPlace(9)),
        (clone(0, 0, 0, 2), ApplyError::NumberTaken(2)),
        (clone(0, 0, 0, 0), ApplyError::NumberTaken(0)),
        (Patch::Remove { node: 0 }, ApplyError::NoSuchNode(0)),
        (Patch::Remove { node: 9 }, ApplyError::NoSuchNode(9)),
        (Patch::Move { node: 1, parent: 1, before: 0 }, ApplyError::NoSuchPlace(0)),
        (Patch::Move { node: 2, parent: 1, before: 2 }, ApplyError::NoSuchPlace(2)),
        (Patch::Move { node: 0, parent: 1, before: 0 }, ApplyError::NoSuchNode(0)),
    ] {
        let mut tree = tree(items, vec![]);
        let never = Patch::Text { node: 2, text: "never" };
        let sent = batch(&[good.clone(), bad.clone(), never]);
        assert_eq!(tree.apply(&sent), Err(error), "{bad:?}");
        assert_eq!(tree.html(), "<p>changed</p>", "{bad:?}");
        // What is known and there may be used, also when it came in the same batch.
        let fits = [
            Patch::Template { number: 7, template: template() },
            clone(7, 1, 2, 9),
            Patch::Text { node: 10, text: "inside" },
            good.clone(),
        ];
        tree.apply(&batch(&fits)).expect("patches that fit");
        assert_eq!(tree.html(), "<p><p>inside</p>changed</p>");
    }
}

#[test]
fn nodes_move_and_go() {
    let mut tree = tree(&["ul *", "li *", "{", "/", "li *", "\"b", "/", "/"], vec![]);
    // 1 is the list, 2 and 4 its items, 3 a text.
    let serial = |tree: &Tree, number| tree.serial(tree.numbered(number).expect("a node"));
    let (first, second) = (serial(&tree, 2), serial(&tree, 4));
    let moved = [Patch::Text { node: 3, text: "a" }, Patch::Move { node: 4, parent: 1, before: 2 }];
    tree.apply(&batch(&moved)).expect("patches that fit");
    assert_eq!(tree.html(), "<ul><li>b</li><li>a</li></ul>");
    assert_eq!((serial(&tree, 2), serial(&tree, 4)), (first, second), "the nodes are the same");
    let count = tree.len();
    tree.apply(&batch(&[Patch::Remove { node: 2 }])).expect("a node that is there");
    assert_eq!((tree.html().as_str(), tree.len()), ("<ul><li>b</li></ul>", count - 2));
    assert_eq!((tree.numbered(2), tree.numbered(3)), (None, None), "inner numbers are free too");
    // The numbers can be given out again, and the new nodes are others.
    let again = [
        Patch::Template {
            number: 5,
            template: Box::new(Template { nodes: nodes(&["li *", "{", "/"]), listeners: vec![] }),
        },
        Patch::Clone { template: 5, parent: 1, before: 4, first: 2 },
    ];
    tree.apply(&batch(&again)).expect("numbers that are free");
    assert_eq!(tree.html(), "<ul><li></li><li>b</li></ul>");
    assert_ne!(serial(&tree, 2), first);
}

/// Adler-32 as RFC 1950 defines it, sum by sum.
fn checksum(bytes: &[u8]) -> u32 {
    let (mut a, mut b) = (1u64, 0u64);
    for byte in bytes {
        a = (a + u64::from(*byte)) % 65_521;
        b = (b + a) % 65_521;
    }
    (b << 16 | a) as u32
}

#[test]
fn a_batch_is_as_long_as_it_says_and_says_what_it_sums_up_to() {
    for times in [0, 1, 5_000, 40_000] {
        let text = "\u{7f}\u{7e}".repeat(times);
        let bytes = batch(&[Patch::Text { node: 1, text: &text }]).to_bytes();
        assert_eq!(bytes[12..16], checksum(&bytes[16..]).to_le_bytes(), "{times}");
        assert_eq!(Batch::from_bytes(&bytes).expect("what was written").len(), 1);
    }
    // One character more than the operations ask for.
    let mut bytes = batch(&[Patch::Text { node: 1, text: "kale" }]).to_bytes();
    bytes.insert(16, b'x');
    bytes[4] += 1;
    let sum = checksum(&bytes[16..]).to_le_bytes();
    bytes[12..16].copy_from_slice(&sum);
    assert_eq!(Batch::from_bytes(&bytes).expect_err("too much"), BatchError::Malformed(1));
}
