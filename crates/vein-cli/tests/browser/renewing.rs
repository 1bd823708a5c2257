//! Views that are renewed in Chromium because their components were edited: what stands there afterwards is what a view made afresh
//! is, and it goes on as that does.

use crate::acts::act;
use crate::dressed::Wear;
use crate::driven::Browser;
use crate::generate::Random;
use crate::outside::bed;
use crate::projects::project;
use crate::running::Server;
use base64::Engine;
use serde_json::{Value as Json, json};
use std::sync::Arc;
use tempfile::TempDir;
use vein::{Session, Ui};
use vein_plan::{Program, Property, Shown};
use vein_view::{NodeId, Tree};

/// How many pages are renewed.
const PAGES: u64 = 1000;
/// So many are handed to the browser at a time.
const AT_A_TIME: usize = 50;

/// Renews views one after the other and holds them against views that are made afresh.
const RENEW: &str = r#"
  const [all, done] = [arguments[0], arguments[arguments.length - 1]];
  const inside = (node) => (node.localName === 'textarea' ? [] : Array.from(node.childNodes));
  const inOrder = (root) => {
    const [found, open] = [[], inside(root).reverse()];
    while (open.length > 0) {
      const node = open.pop();
      found.push(node);
      open.push(...inside(node).reverse());
    }
    return found;
  };
  // What a hidden control holds is its attribute, and is told as what it holds; declarations that say nothing may leave an empty one.
  const told = (root) => inOrder(root).map((node) => {
    const all = Array.from(node.attributes ?? []).filter(({ name, value }) => (name !== 'value' || node.type !== 'hidden')
      && (name !== 'style' || value !== ''));
    const attributes = all.map((a) => `${a.name}=${a.value}`).sort();
    return [node.nodeName, node.nodeType === 3 ? node.data : '', attributes, node.childNodes.length];
  });
  const held = (root) => inOrder(root).flatMap((node, at) => ['value', 'checked', 'open']
    .filter((name) => name in node && node.localName !== 'li')
    .map((name) => [at, name, node[name]]));
  const bytes = (text) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  import('/vein/applier.mjs').then(({ Applier }) => done(all.map((one) => {
    const hosts = [document.createElement('div'), document.createElement('div')];
    document.body.append(...hosts);
    // Buttons of one group let each other go where they stand in one tree.
    const places = hosts.map((host) => host.attachShadow({ mode: 'open' }));
    try {
      const [here, afresh] = places.map((place) => new Applier(place, () => {}));
      one.before.forEach((batch) => here.apply(bytes(batch)));
      const nodes = inOrder(places[0]);
      // What a person has entered meanwhile.
      for (const [at, name, value] of one.entered) {
        if (name === 'chosen') {
          for (const option of nodes[at].options) option.selected = JSON.parse(value).includes(option.value);
        } else {
          nodes[at][name] = value;
        }
        nodes[at].dispatchEvent(new Event('input', { bubbles: true }));
      }
      here.renew(bytes(one.opening), one.mates, one.others, one.held);
      afresh.apply(bytes(one.opening));
      const stay = inOrder(places[0]);
      for (const [at, mate] of one.mates.entries()) {
        if (mate >= 0 && stay[at] !== nodes[mate]) return `node ${at} was to stay`;
      }
      const compare = (what) => {
        for (const look of [told, held]) {
          const [a, b] = places.map((place) => look(place).map((entry) => JSON.stringify(entry)));
          const at = a.findIndex((entry, at) => entry !== b[at]);
          if (at >= 0 || a.length !== b.length) return `${what}, ${look.name}: ${a[at]}, afresh ${b[at]}; ${told(places[0])[look === held ? held(places[0])[at]?.[0] : at]}`;
        }
        return '';
      };
      const first = compare('renewed');
      if (first) return first;
      for (const [at, batch] of one.after.entries()) {
        here.apply(bytes(batch));
        afresh.apply(bytes(batch));
        const then = compare(`after ${at}`);
        if (then) return then;
      }
      return '';
    } catch (error) {
      return String(error.stack);
    } finally {
      hosts.forEach((host) => host.remove());
    }
  })));
"#;

/// The nodes of a tree in document order, as the browser's side counts them.
fn in_order(tree: &Tree) -> Vec<NodeId> {
    let (mut found, mut open) = (Vec::new(), vec![tree.root()]);
    while let Some(id) = open.pop() {
        found.push(id);
        let inside = if tree.name(id) == Some("textarea") { &[] } else { tree.children(id) };
        open.extend(inside.iter().rev());
    }
    found.split_off(1)
}

/// What controls hold by now.
fn entered(tree: &Tree) -> Vec<Json> {
    let each = in_order(tree).into_iter().enumerate().flat_map(|(at, id)| {
        let held =
            [Property::Value, Property::Chosen, Property::Checked, Property::Open].into_iter();
        held.filter_map(move |property| {
            let value = match tree.set_property(id, property)? {
                Shown::Text(text) => json!(*text),
                Shown::Flag(on) => json!(on),
                Shown::Absent => return None,
            };
            Some(json!([at, property.name(), value]))
        })
    });
    each.collect()
}

/// The same components with something edited in one place, so that they still check.
fn edited(random: &mut Random, files: &[(String, String)]) -> Option<Vec<(String, String)>> {
    for _ in 0..40 {
        let mut files = files.to_vec();
        let at = random.below(files.len());
        let text = &files[at].1;
        let begin = text.find("<!-- m -->").map_or(0, |at| at + "<!-- m -->".len());
        let ends: Vec<usize> = text
            .char_indices()
            .filter(|(at, c)| *at >= begin && *c == '>')
            .map(|(at, _)| at + 1)
            .collect();
        if ends.is_empty() {
            continue;
        }
        let (from, to) = (*random.pick(&ends), *random.pick(&ends));
        let changed = match random.below(5) {
            0 => format!("{}<em class='new'>n</em>{}", &text[..from], &text[from..]),
            1 => format!("{}more{}", &text[..from], &text[from..]),
            2 if from < to => format!("{}{}", &text[..from], &text[to..]),
            // What stands there stands there twice.
            3 if from < to => format!("{}{}", &text[..to], &text[from..]),
            4 => text.replacen("class=\"fixed  two\"", "class=\"three\" lang=\"la\"", 1),
            _ => continue,
        };
        if changed == *text {
            continue;
        }
        files[at].1 = changed;
        if program(&files).is_some() {
            return Some(files);
        }
    }
    None
}

fn program(files: &[(String, String)]) -> Option<Arc<Program>> {
    let sources = files.iter().map(|(path, text)| (path.as_str(), text.as_str()));
    Some(Ui::from_sources(sources).ok()?.program().clone())
}

/// The patches of a pulse, as they travel.
fn batch(pulse: &vein::Pulse) -> String {
    base64::engine::general_purpose::STANDARD.encode(pulse.pulse.patches.to_bytes())
}

/// A random page that is used, renewed and used again, as the browser is to see it.
fn renewed(seed: u64) -> Option<(Json, usize, usize)> {
    let mut random = Random::new(seed);
    let files = project(&mut random, Wear::Seed(seed));
    let beds: Vec<Json> = (0..3).map(|_| bed(&mut random)).collect();
    let props = || json!({ "beds": beds });
    let clean = Some(vein_view::clean as vein_runtime::Clean);
    let (mut page, opening) = Session::open(program(&files)?, "test-bed", props(), clean).ok()?;
    let mut before = vec![batch(&opening)];
    for _ in 0..5 {
        before.push(batch(&act(&mut page, &mut random)));
    }
    let files = match random.below(5) {
        0 => project(&mut random, Wear::Seed(seed + 1)),
        _ => edited(&mut random, &files)?,
    };
    let carried = page.carried();
    let opened =
        Session::open_in_place(program(&files)?, "test-bed", props(), clean, Some(carried));
    let (mut other, opening, _) = opened.ok()?;
    if page.tree().len().max(other.tree().len()) > 800 {
        return None;
    }
    let mates = other.mates(&mut page);
    let entered = entered(page.tree());
    let opening = batch(&opening);
    let after: Vec<String> = (0..4).map(|_| batch(&act(&mut other, &mut random))).collect();
    let held: Vec<Json> =
        mates.held.iter().map(|(at, property)| json!([at, property.name()])).collect();
    let stay = mates.nodes.iter().flatten().count();
    let nodes: Vec<i64> = mates.nodes.iter().map(|at| at.map_or(-1, i64::from)).collect();
    let all = nodes.len();
    let told = json!({
        "before": before, "entered": entered, "opening": opening, "mates": nodes, "others": mates.others, "held": held,
        "after": after, "seed": seed,
    });
    Some((told, stay, all))
}

pub async fn edited_components_are_shown_as_afresh(browser: &Browser) {
    let dir = TempDir::new().expect("a folder");
    std::fs::write(dir.path().join("a-page.vein"), "<p>a</p>").expect("a component");
    let server = Server::start(dir.path(), &[]);
    browser.open(&server).await;
    let first = std::env::var("VEIN_FIRST_SEED").ok().and_then(|n| n.parse().ok()).unwrap_or(1);
    let (mut pages, mut stay, mut all, mut seed) = (0, 0, 0, first);
    while pages < PAGES {
        let mut some = Vec::new();
        while some.len() < AT_A_TIME {
            if let Some((told, kept, nodes)) = renewed(seed) {
                (stay, all) = (stay + kept, all + nodes);
                some.push(told);
            }
            seed += 1;
        }
        pages += some.len() as u64;
        let seeds: Vec<Json> = some.iter().map(|one| one["seed"].clone()).collect();
        let told = browser.client.execute_async(RENEW, vec![Json::Array(some)]).await;
        let told = told.expect("a script");
        for (told, seed) in told.as_array().expect("a list").iter().zip(seeds) {
            assert_eq!(told, "", "seed {seed}");
        }
    }
    assert!(stay > all / 2 && seed < 3 * PAGES + first, "{stay} of {all} nodes stay, {seed} seeds");
}
