//! The boundary between the module and the page's script.
//!
//! The script puts bytes into a buffer of ours and calls; what comes of it lies in memory until the
//! next call. Nothing here reads memory by an address: both sides know only buffers that this side keeps.

use crate::engine::{Command, Engine, Outcome};
use crate::wire;
use std::cell::RefCell;
use vein_plan::members::{MEMBERS, Member};
use vein_plan::{Name, Namespace, TemplateNode, Text, Value};
use vein_runtime::{Pulse, Runtime};

thread_local! {
    static ENGINE: RefCell<Engine> = RefCell::default();
    /// What the script says with a command.
    static INBOX: RefCell<Vec<u8>> = RefCell::default();
    /// What the script answers while a command runs.
    static ANSWER: RefCell<Vec<u8>> = RefCell::default();
    /// What came of the last command, and where it lies.
    static OUTBOX: RefCell<(Outcome, [f64; 5])> = RefCell::default();
}

#[cfg(target_arch = "wasm32")]
mod outside {
    // What the script gives to the module. Both take places in this module's memory for the time of the
    // call, and leave their answer in the buffer that `vein_answer` gives.
    #[link(wasm_import_module = "./surroundings.mjs")]
    #[allow(unsafe_code, reason = "functions of the script; they get numbers and give numbers")]
    unsafe extern "C" {
        pub safe fn ask(
            page: u32,
            name: *const u8,
            name_len: usize,
            args: *const u8,
            args_len: usize,
        );
        pub safe fn format(
            page: u32,
            name: *const u8,
            name_len: usize,
            args: *const u8,
            args_len: usize,
        );
        pub safe fn changed(page: u32);
    }
}

#[cfg(not(target_arch = "wasm32"))]
mod outside {
    //! Outside a browser there is nobody to ask.
    pub fn ask(_: u32, _: *const u8, _: usize, _: *const u8, _: usize) {}
    pub fn format(_: u32, _: *const u8, _: usize, _: *const u8, _: usize) {}
    pub fn changed(_: u32) {}
}

/// Sets room aside for what the script says next, and gives its place.
#[allow(unsafe_code, reason = "an exported name, which nothing else in the module has")]
#[unsafe(no_mangle)]
pub extern "C" fn vein_inbox(len: usize) -> *mut u8 {
    INBOX.with_borrow_mut(|inbox| room(inbox, len))
}

/// Sets room aside for an answer of the script, and gives its place.
#[allow(unsafe_code, reason = "an exported name, which nothing else in the module has")]
#[unsafe(no_mangle)]
pub extern "C" fn vein_answer(len: usize) -> *mut u8 {
    ANSWER.with_borrow_mut(|answer| room(answer, len))
}

fn room(buffer: &mut Vec<u8>, len: usize) -> *mut u8 {
    buffer.clear();
    buffer.resize(len, 0);
    buffer.as_mut_ptr()
}

/// Does what a page is told with what is in the inbox, at a time in milliseconds. Gives the place of five
/// numbers: where the patches are and how long, where what is told is and how long, and when to
/// call again.
#[allow(unsafe_code, reason = "an exported name, which nothing else in the module has")]
#[unsafe(no_mangle)]
pub extern "C" fn vein_do(page: u32, command: u32, now: f64) -> *const f64 {
    let given = INBOX.take();
    let Some(command) = Command::ALL.get(command as usize) else { return std::ptr::null() };
    let outcome = ENGINE.with(|engine| match engine.try_borrow_mut() {
        Ok(mut engine) => Some(engine.run(page as usize, *command, &given, now)),
        // A function that is asked at once has called the engine that waits for its answer.
        Err(_) => None,
    });
    INBOX.set(given);
    outcome.map_or(std::ptr::null(), put)
}

/// What was done to a page without a command, one pulse a call; nothing at last.
#[allow(unsafe_code, reason = "an exported name, which nothing else in the module has")]
#[unsafe(no_mangle)]
pub extern "C" fn vein_fetch(page: u32) -> *const f64 {
    put(ENGINE.with_borrow_mut(|engine| engine.fetch(page as usize)))
}

/// Lets the module's own answers begin, for the command that was done last.
#[allow(unsafe_code, reason = "an exported name, which nothing else in the module has")]
#[unsafe(no_mangle)]
pub extern "C" fn vein_begin() {
    let asked = OUTBOX.with_borrow_mut(|(outcome, _)| std::mem::take(&mut outcome.inside));
    asked.into_iter().for_each(crate::answering::Question::begin);
}

fn put(outcome: Outcome) -> *const f64 {
    OUTBOX.with_borrow_mut(|(kept, places)| {
        // What no command's caller has let begin yet is not lost.
        let before = std::mem::take(&mut kept.inside);
        *kept = outcome;
        kept.inside.splice(..0, before);
        let place = |bytes: &[u8]| (bytes.as_ptr() as usize as f64, bytes.len() as f64);
        let ((patches, patches_len), (told, told_len)) = (place(&kept.patches), place(&kept.told));
        *places = [patches, patches_len, told, told_len, kept.due];
        places.as_ptr()
    })
}

/// Does something to a page on behalf of this module, and has the script fetch what came of it.
pub(crate) fn act(page: usize, act: impl FnOnce(&mut Runtime) -> Option<Pulse>) -> bool {
    let done = ENGINE.with(|engine| engine.try_borrow_mut().map(|mut it| it.do_to(page, act)));
    let done = done.unwrap_or(false);
    if done {
        outside::changed(page as u32);
    }
    done
}

/// Has the script answer a function at once; what it answers uses the names of the program's fields.
pub(crate) fn ask(
    page: usize,
    names: &[Name],
    name: &str,
    args: &[Value],
) -> Result<Value, String> {
    let mut bytes = Vec::new();
    wire::write(&Value::list(args.to_vec()), &mut bytes);
    ANSWER.with_borrow_mut(Vec::clear);
    outside::ask(page as u32, name.as_ptr(), name.len(), bytes.as_ptr(), bytes.len());
    match ANSWER.with_borrow(|answer| wire::read(answer, names)) {
        Some(Value::List(answer)) => match &answer[..] {
            [value] => Ok(value.clone()),
            [_, reason, ..] => Err(reason.to_text().to_string()),
            [] => Err("nobody answers".to_owned()),
        },
        _ => Err("nobody answers".to_owned()),
    }
}

/// Has the script clean markup from data, with the browser's own parser.
pub(crate) fn clean(markup: &str) -> Vec<TemplateNode> {
    let mut bytes = Vec::new();
    wire::write(&Value::list(vec![Value::from(markup)]), &mut bytes);
    ANSWER.with_borrow_mut(Vec::clear);
    let name = "clean";
    outside::format(0, name.as_ptr(), name.len(), bytes.as_ptr(), bytes.len());
    let text = |text: &Value| Name::from(&*text.to_text().to_utf8());
    let node = |value: &Value| match value {
        Value::List(parts) => {
            let (name, attributes) = parts
                .split_first()
                .map_or((Name::default(), &[][..]), |(name, rest)| (text(name), rest));
            let pairs = attributes.chunks_exact(2);
            let attributes = pairs.map(|pair| (text(&pair[0]), text(&pair[1]))).collect();
            TemplateNode::Open { namespace: Namespace::Html, name, attributes, marked: false }
        }
        Value::Null => TemplateNode::Close,
        other => TemplateNode::Text { text: text(other), marked: false },
    };
    match ANSWER.with_borrow(|answer| wire::read(answer, &[])) {
        Some(Value::List(nodes)) => nodes.iter().map(node).collect(),
        // Nobody cleans: it is shown as what it is.
        _ if markup.is_empty() => Vec::new(),
        _ => vec![TemplateNode::Text { text: markup.into(), marked: false }],
    }
}

/// Has the script format something for people.
pub(crate) fn format(page: usize, member: Member, args: &[Value]) -> Text {
    let mut bytes = Vec::new();
    wire::write(&Value::list(args.to_vec()), &mut bytes);
    ANSWER.with_borrow_mut(Vec::clear);
    let info = MEMBERS.iter().find(|info| info.member == member);
    let name = info.map_or("", |info| info.name);
    outside::format(page as u32, name.as_ptr(), name.len(), bytes.as_ptr(), bytes.len());
    match ANSWER.with_borrow(|answer| wire::read(answer, &[])) {
        Some(Value::String(text)) => text,
        _ => args.first().map_or(Text::from(""), Value::to_text),
    }
}
