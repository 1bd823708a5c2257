//! What a workbench is told of a tab's page, and what it has the page do.

use super::Tab;
use super::noted::Watch;
use super::state::{any_items, state, without_rows};
use crate::serve::asked::{Kind, Looked, Marked, Query, answer};
use anyhow::{Context, Result, bail};
use serde_json::{Value as Json, json};
use std::collections::HashMap;
use std::sync::{Arc, OnceLock};
use vein::{Coverage, Page, ReachMap, ScenarioFile};

impl Tab {
    /// Goes on with what a workbench wants.
    pub(super) fn looked(&mut self, looked: Looked) {
        if self.watch.is_none()
            && let Some(page) = &mut self.page
        {
            let watch = Watch::new(page);
            page.prove(watch.proves(page));
            self.watch = Some(Box::new(watch));
            self.tell_watch();
        }
        if looked.follows {
            match &mut self.watch {
                Some(watch) => watch.follow(looked),
                None => self.early.push(looked),
            }
            return;
        }
        let said = self.found(&looked.query).map_err(|error| format!("{error:#}"));
        let _ = looked.to.send(answer(looked.id, &said));
    }

    /// A workbench wants to know less.
    pub(super) fn enough(&mut self, who: u64, id: Option<u64>) {
        self.early.retain(|one| one.who != who || id.is_some_and(|id| id != one.id));
        let left = self.watch.as_mut().is_some_and(|watch| watch.enough(who, id));
        if left && id.is_none() {
            // Nobody looks any more: the page is as it would be without.
            self.wanted = None;
            if self.past.is_some() && self.stage == super::Stage::Shown {
                self.stage = super::Stage::Holding;
                self.to_tab.tell("hold", true);
            }
            self.watch = None;
            self.to_tab.tell("marks", json!([]));
            self.tell_watch();
            if let Some(page) = &mut self.page {
                let on = self.site.ledger != super::Ledger::Off;
                page.prove(on);
                page.record(on);
            }
        }
    }

    /// Tells workbenches what has become another.
    pub(super) fn tell_benches(&mut self) {
        let due = self.watch.as_mut().map_or(Vec::new(), |watch| watch.take_due());
        for at in due {
            let Some(query) = self.watch.as_ref().map(|watch| watch.query(at)) else { return };
            let said = self.found(&query).map_err(|error| format!("{error:#}"));
            if let Some(watch) = &mut self.watch {
                watch.tell(at, said);
            }
        }
    }

    /// Tells the tab what a workbench wants to know of it.
    pub(super) fn tell_watch(&self) {
        let watch = self.watch.as_ref();
        let points = watch.is_some_and(|watch| watch.points);
        let records = watch.is_some_and(|watch| watch.recorded.is_on());
        self.to_tab.tell("watch", json!({ "points": points, "records": records }));
    }

    fn found(&mut self, query: &Query) -> Result<Json> {
        if matches!(query, Query::State(..)) && self.watch.is_some() {
            self.reach_map()?;
        }
        let done = |()| Json::from("");
        let shown = shown(&mut self.past, &mut self.page);
        let (Some(watch), Some(page)) = (&mut self.watch, shown) else {
            bail!("the page is not shown")
        };
        Ok(match query {
            Query::Tree => watch.tree.get_or_insert_with(|| tree(page)).clone(),
            Query::State(address, open) => state(page, address, open, watch)?,
            Query::Ledger(find, most) => watch.found(find, *most),
            Query::Time => {
                let moments = watch.history.moments();
                let at = self.past.as_ref().map_or(moments.end - 1, |(at, _)| *at);
                let parts = self.page.as_ref().map_or(0, |page| page.tree().len());
                let proves = self.page.as_ref().is_some_and(|page| watch.proves(page));
                json!({
                    "first": moments.start, "last": moments.end - 1, "at": at, "past": self.past.is_some(),
                    "proves": proves, "nodes": parts,
                })
            }
            Query::Recording => watch.recorded.told(),
            Query::Pointed => {
                json!({ "address": watch.pointed.0, "chosen": watch.pointed.1, "points": watch.points })
            }
            Query::Entry(number) => {
                let line = watch.lines.iter().find(|line| line.number == *number);
                line.context("it is not kept any more")?.whole()
            }
            Query::Covered(missing) => {
                let by_scenarios = self.by_scenarios();
                let watch = self.watch.as_ref().context("nothing is noted")?;
                covered(&watch.coverage, by_scenarios.get(), *missing)
            }
            Query::Ways(kind) => {
                let map = self.reach_map()?;
                ways(map, *kind)
            }
            Query::Reach(kind, name) => {
                let found = reached(self.reach_map()?, *kind, name);
                self.with_last(found, name)
            }
            Query::Mark(what, which) => done(self.mark(*what, which)?),
            Query::Put(path, json) => done(self.put(path, json)?),
            Query::Go(moment) => done(self.go(*moment)?),
            Query::Prove(on) => {
                watch.proves = Some(*on);
                watch.stale = true;
                if let Some(page) = &mut self.page {
                    page.prove(*on);
                    page.record(true);
                }
                Json::from("")
            }
            Query::Point(on) => {
                watch.points = *on;
                watch.stale = true;
                if !on {
                    watch.pointed.0.clear();
                }
                self.tell_watch();
                Json::from("")
            }
            Query::Record(what) => done(self.record(*what)?),
            Query::Save(number, name) => done(self.save(*number, name)?),
            Query::Open(place) => done(self.open_file(place)?),
        })
    }

    /// Writes a value to a path, as a pulse.
    fn put(&mut self, path: &str, json: &str) -> Result<()> {
        let value = vein::json::parse(json).map_err(|error| anyhow::anyhow!("{error}"))?;
        self.go_on();
        let page = self.page.as_mut().context("the page is closed")?;
        let pulse = page.session_mut().set(path, value.clone())?;
        if let Some(watch) = &mut self.watch {
            watch.recorded.set(page, path, &value);
        }
        let pulse = page.follow(pulse)?;
        let fault = pulse.pulse.fault.clone();
        self.happened(&pulse);
        fault.map_or(Ok(()), |fault| Err(fault.into()))
    }

    /// The component under the pointer, which may have been chosen.
    pub(super) fn pointed(&mut self, place: &crate::serve::message::Place, chosen: bool) {
        let shown = shown(&mut self.past, &mut self.page);
        let (Some(watch), Some(page)) = (&mut self.watch, shown) else { return };
        if let Some(address) = place.component(page) {
            watch.pointed.0.clone_from(&address);
            watch.stale = true;
            if chosen {
                watch.pointed.1 += 1;
                watch.points = false;
            }
            let _ = self.mark(Marked::Component, &address);
            if chosen {
                self.tell_watch();
            }
        }
    }

    /// Has the tab mark something.
    fn mark(&mut self, what: Marked, which: &str) -> Result<()> {
        let parts: Vec<(String, String)> = match what {
            Marked::Nothing => Vec::new(),
            Marked::Component => {
                let page =
                    shown(&mut self.past, &mut self.page).context("the page is not shown")?;
                let runtime = page.session_mut().runtime();
                let standing = runtime.standing_components().into_iter();
                let nodes = standing.filter(|one| one.address == which);
                let nodes: Vec<Json> = nodes
                    .flat_map(|one| runtime.nodes_of(one.scope))
                    .map(|node| json!([node, short(which)]))
                    .collect();
                self.to_tab.tell("marks", nodes);
                return Ok(());
            }
            Marked::Pulse => {
                let watch = self.watch.as_ref().context("nothing is noted")?;
                let line = watch.lines.iter().find(|line| which.parse() == Ok(line.number));
                let line = line.context("it is not kept any more")?;
                let parts = line.effects.iter().filter(|[kind, ..]| kind == "view");
                parts.map(|[_, place, what, _]| (place.clone(), what.clone())).collect()
            }
            Marked::Part => vec![(which.to_owned(), last_of(which).to_owned())],
            Marked::State | Marked::Handler => {
                let kind = if what == Marked::State { Kind::State } else { Kind::Handler };
                let found = reached(self.reach_map()?, kind, which);
                found
                    .into_iter()
                    .map(|(part, _)| (part.clone(), last_of(&part).to_owned()))
                    .collect()
            }
        };
        let page = shown(&mut self.past, &mut self.page).context("the page is not shown")?;
        let mut wanted: HashMap<&str, &str> = HashMap::new();
        wanted.extend(parts.iter().map(|(place, said)| (&**place, &**said)));
        let own = format!("{} › ", page.session_mut().runtime().plan().name);
        let rows = page.outline();
        let marks = rows.iter().filter_map(|row| row.source.as_ref()).filter_map(|source| {
            let inner = source.address.strip_prefix(&own).unwrap_or(&source.address);
            let general = without_rows(inner);
            let said = wanted
                .get(&*source.address)
                .or_else(|| wanted.get(inner))
                .or_else(|| wanted.get(&*general))?;
            Some(json!([source.node.unwrap_or(0), said]))
        });
        let marks: Vec<Json> = marks.collect();
        self.to_tab.tell("marks", marks);
        Ok(())
    }

    fn reach_map(&mut self) -> Result<&ReachMap> {
        let served = self.state.served.clone().context("nothing is served")?;
        let watch = self.watch.as_mut().context("nothing is noted")?;
        if watch.reach.is_none() {
            watch.reach = Some(served.ui.reach(&served.component)?);
        }
        watch.reach.as_ref().context("it was worked out")
    }

    /// What was found, each with the pulse that has changed it last, and which has changed what it is about.
    fn with_last(&self, found: Vec<(String, String)>, name: &str) -> Json {
        let component = self.state.served.as_ref().map_or("", |served| &served.component);
        let mut last: HashMap<String, u64> = HashMap::new();
        for line in self.watch.iter().flat_map(|watch| &watch.lines) {
            for [kind, place, ..] in &line.effects {
                let own = place.strip_prefix(component).unwrap_or(place);
                let own =
                    own.strip_prefix(" › ").or_else(|| own.strip_prefix('.')).unwrap_or(place);
                let called = if kind == "view" { without_rows(own) } else { any_items(own) };
                last.insert(called, line.number);
            }
        }
        let found = found.into_iter().enumerate().map(|(id, (name, through))| {
            json!({ "id": id, "name": name, "through": through, "last": last.get(&name) })
        });
        json!({ "found": found.collect::<Vec<_>>(), "last": last.get(name) })
    }

    /// What the project's scenarios have seen, as soon as that is known.
    fn by_scenarios(&mut self) -> Arc<OnceLock<Coverage>> {
        let served = self.state.served.clone();
        let (Some(watch), Some(served)) = (&mut self.watch, served) else { return Arc::default() };
        let folder = self.site.folder.clone();
        let begin = || {
            let known: Arc<OnceLock<Coverage>> = Arc::default();
            let to = known.clone();
            std::thread::spawn(move || {
                let mut coverage = Coverage::of(served.ui.program());
                let locale = (served.answers.locale.as_str(), served.answers.zone.as_str());
                // What is built in has no folder.
                let own = folder.is_absolute().then(|| vein::scenarios_in(&folder));
                for path in own.and_then(Result::ok).unwrap_or_default() {
                    // What cannot be played has seen nothing; `vein prove` says why.
                    let Ok(file) = ScenarioFile::read(path) else { continue };
                    let mut hands = vein::scenario::InMemory;
                    let Ok(mut player) = file.player(&served.ui, locale, &mut hands) else {
                        continue;
                    };
                    player.cover(coverage.clone());
                    while player.step(&mut hands).is_some() {}
                    coverage = player.take_coverage().unwrap_or(coverage);
                }
                let _ = to.set(coverage);
            });
            known
        };
        let known = watch.by_scenarios.get_or_insert_with(begin).clone();
        // It is asked again until it is known.
        watch.stale |= known.get().is_none();
        known
    }

    /// Opens a place in a file of the project in the editor that the person has named.
    fn open_file(&self, place: &str) -> Result<()> {
        let mut pieces = place.splitn(3, ':');
        let file = pieces.next().unwrap_or_default();
        let (line, column) = (pieces.next().unwrap_or("1"), pieces.next().unwrap_or("1"));
        let number = |text: &str| text.parse::<u32>().is_ok();
        let served = self.state.served.clone().context("nothing is served")?;
        let sources = served.ui.report().map_or(&[][..], |report| &report.sources);
        let named = |path: &str| path.rsplit(['/', '\\']).next() == Some(file);
        let source = sources.iter().find(|source| named(&source.path));
        let source = source.filter(|_| number(line) && number(column));
        let path = &source.with_context(|| format!("there is no `{place}`"))?.path;
        let path = std::path::absolute(path)?.to_string_lossy().into_owned();
        let editor = std::env::var("VEIN_EDITOR").unwrap_or_default();
        let mut words = editor.split_whitespace();
        let Some(program) = words.next() else {
            bail!(
                "no editor is named: start `vein serve` with VEIN_EDITOR, such as VEIN_EDITOR='my-editor {{file}} {{line}}'"
            );
        };
        let mut args: Vec<String> = words
            .map(|word| {
                let word = word.replace("{line}", line).replace("{column}", column);
                word.replace("{file}", &path)
            })
            .collect();
        if !editor.contains("{file}") {
            args.push(path);
        }
        let quiet = std::process::Stdio::null;
        let mut command = std::process::Command::new(program);
        let child = command.args(args).stdin(quiet()).stdout(quiet()).stderr(quiet()).spawn();
        let mut child = child.with_context(|| format!("`{program}` cannot be started"))?;
        // Nobody else waits for it.
        std::thread::spawn(move || child.wait());
        Ok(())
    }
}

/// The page that the tab shows: as it was, or as it is.
pub(super) fn shown<'a>(
    past: &'a mut Option<(u64, Page)>,
    page: &'a mut Option<Page>,
) -> Option<&'a mut Page> {
    match past {
        Some((_, past)) => Some(past),
        None => page.as_mut(),
    }
}

/// The stores and components of a page.
fn tree(page: &mut Page) -> Json {
    let runtime = page.session_mut().runtime();
    let (root, program) = (runtime.root_scope(), runtime.program().clone());
    let pieces = runtime.standing_components().into_iter().map(|one| {
        let plan = &program.plans[one.plan];
        let label = match (&plan.store, one.scope == root) {
            (Some(store), _) => store.to_string(),
            (None, true) => plan.name.to_string(),
            (None, false) => short(&one.address).to_owned(),
        };
        json!({
            "address": one.address, "label": label, "name": &*plan.name, "depth": one.depth,
            "place": format!("{}.vein:1:1", plan.name), "store": plan.store.is_some(),
        })
    });
    pieces.collect()
}

/// The last of what an address is made of.
fn short(address: &str) -> &str {
    address.rsplit(" › ").next().unwrap_or(address)
}

/// What a part is of its element: `text` of `p.note text`.
fn last_of(address: &str) -> &str {
    address.rsplit(' ').next().unwrap_or(address)
}

fn covered(own: &Coverage, by_scenarios: Option<&Coverage>, missing: bool) -> Json {
    let proven: Option<Vec<u64>> =
        by_scenarios.map(|all| all.items().iter().map(|item| item.count).collect());
    let items = own.items();
    let proven_at = |at: usize| proven.as_ref().and_then(|all| all.get(at).copied());
    let seen = items.iter().filter(|item| item.count > 0).count();
    let by = (0..items.len()).filter(|at| proven_at(*at).is_some_and(|count| count > 0)).count();
    let shown = items.iter().enumerate().filter(|(at, item)| {
        !missing || item.count == 0 && proven_at(*at).is_none_or(|count| count == 0)
    });
    let shown: Vec<Json> = shown
        .map(|(at, item)| {
            json!({
                "id": at, "kind": item.kind.name(),
                "name": item.name, "place": item.origin.to_string(), "seen": item.count,
                "proven": proven_at(at),
            })
        })
        .collect();
    json!({ "items": shown, "seen": seen, "proven": by, "known": proven.is_some(), "all": items.len() })
}

/// What can change parts, or all parts.
fn ways(map: &ReachMap, kind: Kind) -> Json {
    let way = |name: &str, count: usize| json!({ "name": name, "count": count });
    let mut all: Vec<Json> = match kind {
        Kind::State => map.paths.iter().map(|path| way(&path.path, path.parts.len())).collect(),
        Kind::Handler => map.actions.iter().map(|one| way(&one.name, one.parts.len())).collect(),
        Kind::Part => {
            let parts = map.parts.iter().enumerate().map(|(at, part)| {
                let paths = map.paths.iter().flat_map(|path| &path.parts);
                way(part, paths.filter(|reach| reach.part == at).count())
            });
            parts.collect()
        }
    };
    for (id, one) in all.iter_mut().enumerate() {
        one["id"] = id.into();
    }
    all.into()
}

/// What something can change, or can be changed by; with what is on the way.
fn reached(map: &ReachMap, kind: Kind, name: &str) -> Vec<(String, String)> {
    let part = |at: usize| map.parts[at].clone();
    match kind {
        Kind::State => {
            let paths = map.paths.iter().filter(|path| path.path == name);
            let parts = paths.flat_map(|path| &path.parts);
            parts.map(|reach| (part(reach.part), reach.through.join(" → "))).collect()
        }
        Kind::Handler => {
            let actions = map.actions.iter().filter(|action| action.name == name);
            let mut found = Vec::new();
            for action in actions {
                let writes = action.writes.join(", ");
                found.extend(action.parts.iter().map(|at| (part(*at), writes.clone())));
            }
            found
        }
        Kind::Part => {
            let at = map.parts.iter().position(|known| known == name);
            let paths = map.paths.iter().flat_map(|path| {
                let reach = path.parts.iter().filter(|reach| Some(reach.part) == at);
                reach.map(|reach| (path.path.clone(), reach.through.join(" → ")))
            });
            let actions =
                map.actions.iter().filter(|one| at.is_some_and(|at| one.parts.contains(&at)));
            let actions = actions.map(|one| (one.name.clone(), one.writes.join(", ")));
            paths.chain(actions).collect()
        }
    }
}
