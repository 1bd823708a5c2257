//! A page of the server without the server: its tab says anything.

use super::asked::{Looked, Query};
use super::line::{Heard, Link, Out, ToTab};
use super::message::{Doing, Said};
use super::reading::Served;
use super::tab::Tab;
use super::turns::Turns;
use super::{Ledger, Site, State};
use crate::project::Planned;
use serde_json::value::RawValue;
use std::collections::HashMap;
use std::sync::mpsc::channel;
use std::sync::{Arc, Mutex, OnceLock};
use tokio::sync::mpsc::unbounded_channel;
use tokio::sync::{Semaphore, oneshot, watch};
use vein::{Batch, Budget, Tree, Ui, Value};

/// What is shown.
const SHOP: [(&str, &str); 2] = [
    (
        "seed-shop",
        "\
shape Seed { name: string, price: number, kept: boolean }
asks soil(n: number): string
awaits fetched(n: number): string[]
loads names: string[] = fetched(count)
holds seeds: Seed[] = [{ name: 'kale', price: 2, kept: false }, { name: 'rye', price: 1, kept: true }]
holds text = ''
holds slow = ''
holds note: string? = null
holds sort = 'name'
holds chosen = ['b']
holds open = false
holds count = 0
holds ground = 'loam'
derives sum = seeds.reduce((all, seed) => all + seed.price, 0)
does add() { seeds.push({ name: text, price: count, kept: false }); text = ''; }
does drop(n: number) { seeds.splice(n, 1); }
does look() { ground = soil(count); note = ground; }
does bought(n: number) { count += n; }

<h1 class=\"{open ? 'open' : ''}\">{count} {sum} {ground}</h1>
<form submit='->(prevent) add()'>
  <input value='<-> text'><input value='<->(change) slow'><button>add</button><button type='reset'>x</button>
</form>
<select value='<-> sort'><option value='name'>name</option><option value='price'>price</option></select>
<select multiple value='<-> chosen'><option value='a'>a</option><option value='b'>b</option></select>
<details open='<-> open'><summary>more</summary><p when='note'>{note}</p><p otherwise>none</p></details>
<button click='-> look()' disabled='<- count > 3'>look</button>
<button click='-> count++'>count</button>
<ul><li each='name of names ?? [] by name'>{name}</li></ul>
<seed-row each='seed of seeds by seed.name' name='<- seed.name' amount='<- seed.price' buy='-> bought(event.n)'></seed-row>
<input each='seed of seeds' type='checkbox' checked='<-> seed.kept'>
",
    ),
    (
        "seed-row",
        "\
takes name: string
takes amount: number
gives buy(n: number)
holds times = 0

<p title='<- name'><b click='-> times++'>{name} {amount} {times}</b> <button click='-> give buy(amount)'>buy</button></p>
",
    ),
];

/// Who answers where no host module does.
const ANSWERS: &str = "\
[answers.soil]
values = ['loam', 'clay']
[answers.fetched]
after = 100000
values = [['leek', 'pea']]
";

fn site() -> &'static Arc<Site> {
    static SITE: OnceLock<Arc<Site>> = OnceLock::new();
    SITE.get_or_init(|| {
        let ui = Ui::from_sources(SHOP).unwrap_or_else(|error| panic!("{error}"));
        let ui = ui.with_budget(Budget { steps: 200_000, bytes: 8 << 20, nodes: 20_000 });
        let data = Value::record([]);
        let planned = Planned::plain(ui, "seed-shop", data, ANSWERS).expect("a plain plan");
        let served = Served::of(planned, None).expect("it can be served");
        let state = State { served: Some(Arc::new(served)), ..State::default() };
        // Nothing is ever published: what tabs follow stays as it is.
        let (publish, now) = watch::channel(Arc::new(state));
        std::mem::forget(publish);
        Arc::new(Site {
            now,
            reports: channel().0,
            ledger: Ledger::Off,
            port: 0,
            token: "token".to_owned(),
            folder: "nowhere".into(),
            tabs: Mutex::new(HashMap::new()),
            opened: watch::Sender::default(),
            turns: Turns::new(),
        })
    })
}

/// Says each line to a page, as a tab, its host module or a workbench: whichever says such a thing. The page goes on, and
/// what the tab is told makes what the page shows. Gives how often both were held against each other.
pub fn messages(text: &str) -> usize {
    let (link, mut told) = Link::new();
    let (answer, answers) = channel();
    // Whatever the page asks at once nobody answers.
    drop(answer);
    let mut tab = Tab::new(site().clone(), ToTab::new(link.clone()), answers);
    let mut shown = Shown::default();
    let mut compared = 0;
    let (to, mut looked) = unbounded_channel();
    let room = Arc::new(Semaphore::new(1 << 20));
    for (at, line) in text.lines().enumerate().take(40) {
        let heard = if let Ok(said) = serde_json::from_str::<Said>(line) {
            Heard::Said(said, room.clone().try_acquire_owned().expect("room"))
        } else if let Ok(query) = serde_json::from_str::<Query>(line) {
            // Files are written and opened on this machine.
            if matches!(query, Query::Save(..) | Query::Open(_)) {
                continue;
            }
            let follows = at % 2 == 0 && !matches!(query, Query::Go(_) | Query::Put(..));
            Heard::Looked(Looked { who: 1, id: at as u64, query, follows, to: to.clone() })
        } else if let Ok(what) = serde_json::from_str::<Doing>(line) {
            let (reply, _) = oneshot::channel();
            Heard::Asked { after: 0, heard: 0, what, reply }
        } else {
            continue;
        };
        tab.go_on_with(Some(heard), Vec::new(), false);
        while let Ok(out) = told.try_recv() {
            link.was_read(out.len());
            shown.take(&out);
        }
        while let Ok(told) = looked.try_recv() {
            serde_json::from_str::<Box<RawValue>>(&told).expect("JSON");
        }
        if let (Some(tree), Some(page)) = (&shown.tree, tab.shown_page()) {
            assert_eq!(tree.html(), page, "after {line}\n{text}");
            compared += 1;
        }
    }
    compared
}

/// What a tab shows by what it was told.
#[derive(Default)]
struct Shown {
    /// Nothing before its page is opened, nor once that was renewed: what stays is another's test.
    tree: Option<Tree>,
}

impl Shown {
    fn take(&mut self, out: &Out) {
        match out {
            Out::Text(text) => {
                let told: HashMap<String, Box<RawValue>> =
                    serde_json::from_str(text).expect("an object of JSON");
                if told.contains_key("first") || told.contains_key("again") {
                    self.tree = Some(Tree::default());
                } else if told.contains_key("renew") {
                    self.tree = None;
                }
            }
            Out::Patches(patches) => {
                let batch = Batch::from_bytes(patches).expect("a batch that can be read");
                if let Some(tree) = &mut self.tree {
                    tree.apply(&batch).expect("patches that fit");
                }
            }
        }
    }
}
