//! A page before it is opened: what the host answers.

use crate::error::Error;
use crate::page::Page;
use crate::ui::Ui;
use futures_util::StreamExt;
use futures_util::stream::{BoxStream, Stream};
use rustc_hash::FxHashMap;
use serde::Serialize;
use serde::de::DeserializeOwned;
use std::fmt::Display;
use std::future::Future;
use std::sync::Arc;
use vein_plan::{Budget, Name, Value, to_json};
use vein_proof::{Entry, Session};
use vein_runtime::{Carried, Clean, Host, Lost};

/// The answers to one question, one after the other.
pub(crate) type Answers = BoxStream<'static, Result<Value, String>>;

/// Begins to answer a question.
pub(crate) type Begin = Box<dyn Fn(&[Value]) -> Answers + Send>;

/// A page that was opened in the place of another, with what was lost and what its host answers.
type InPlace = (Session, Entry, Vec<Lost>, FxHashMap<Name, Begin>, bool);

/// A component that is to be opened, with the functions that the host answers.
///
/// ```
/// let ui = vein::Ui::from_sources([("bed-note.vein", "
/// takes code: string
/// asks soil_name(code: string): string
/// awaits sunshine(code: string): number
/// loads hours: number = sunshine(code)
///
/// <p>{soil_name(code)}</p>
/// <p when='hours is ready'>{hours} h</p>
/// <p otherwise>asking the sky</p>
/// ")])?;
/// let mut page = ui
///     .page("bed-note")
///     .answer("soil_name", |code: String| format!("soil {code}"))
///     .answer_later("sunshine", |_code: String| async { Ok::<_, String>(7) })
///     .open(serde_json::json!({ "code": "B" }))?;
/// assert_eq!(page.html(), "<p>soil B</p><p>asking the sky</p>");
/// page.answers_now()?;
/// assert_eq!(page.html(), "<p>soil B</p><p>7 h</p>");
/// # Ok::<(), vein::Error>(())
/// ```
#[must_use = "a page is there once it is opened"]
pub struct PageBuilder {
    ui: Ui,
    component: String,
    host: Host,
    later: FxHashMap<Name, Begin>,
    proving: bool,
}

/// A closure that the host answers with: up to four arguments that serde reads.
pub trait Function<Args>: Send + Sync + 'static {
    /// What it gives.
    type Output;

    /// Calls it with the arguments of a question.
    ///
    /// # Errors
    /// An argument that the closure's parameter cannot be read from.
    fn call(&self, args: &[Value]) -> Result<Self::Output, String>;
}

macro_rules! functions {
    ($($($arg:ident)*;)*) => {
        $(impl<F, R, $($arg: DeserializeOwned),*> Function<($($arg,)*)> for F
        where
            F: Fn($($arg),*) -> R + Send + Sync + 'static,
        {
            type Output = R;

            #[allow(non_snake_case, unused_variables, unused_mut, reason = "there may be none")]
            fn call(&self, args: &[Value]) -> Result<R, String> {
                let mut next = args.iter();
                $(let $arg = argument::<$arg>(&mut next, args.len())?;)*
                Ok(self($($arg),*))
            }
        })*
    };
}

functions! {
    ;
    A;
    A B;
    A B C;
    A B C D;
}

/// A host that cleans markup and formats in a language and a time zone.
pub(crate) fn default_host(tag: &str, zone: &str) -> Result<Host, Error> {
    let host = Host { clean: Some(vein_view::clean as Clean), ..Host::default() };
    #[cfg(feature = "locale")]
    let host = Host { formats: Some(Arc::new(vein_locale::Locale::new(tag, zone)?)), ..host };
    #[cfg(not(feature = "locale"))]
    let _ = (tag, zone);
    Ok(host)
}

fn argument<T: DeserializeOwned>(
    next: &mut std::slice::Iter<'_, Value>,
    given: usize,
) -> Result<T, String> {
    let at = given - next.len() + 1;
    let value = next.next().ok_or_else(|| format!("it is asked with {given} arguments only"))?;
    serde_json::from_value(to_json(value)).map_err(|error| format!("argument {at}: {error}"))
}

fn answer_of(value: impl Serialize) -> Result<Value, String> {
    serde_json::to_value(value).map(Value::from).map_err(|error| error.to_string())
}

impl PageBuilder {
    pub(crate) fn new(ui: Ui, component: &str) -> PageBuilder {
        let plain = Host { clean: Some(vein_view::clean as Clean), ..Host::default() };
        let host = default_host("en", "UTC").unwrap_or(plain);
        let host = Host { promised: Some(Default::default()), budget: ui.budget(), ..host };
        let (component, later) = (component.to_owned(), FxHashMap::default());
        PageBuilder { ui, component, host, later, proving: true }
    }

    /// Answers a function that is declared with `asks`: at once, and always the same for the same
    /// arguments.
    pub fn answer<Args, F>(self, name: &str, function: F) -> PageBuilder
    where
        F: Function<Args>,
        F::Output: Serialize,
    {
        self.answer_values(name, move |args| answer_of(function.call(args)?))
    }

    /// As [`PageBuilder::answer`], where the answer may fail. Then the pulse that asked is taken back.
    pub fn try_answer<Args, F, T, E>(self, name: &str, function: F) -> PageBuilder
    where
        F: Function<Args, Output = Result<T, E>>,
        T: Serialize,
        E: Display,
    {
        self.answer_values(name, move |args| {
            answer_of(function.call(args)?.map_err(|error| error.to_string())?)
        })
    }

    /// As [`PageBuilder::try_answer`], with values of the language in and out.
    pub fn answer_values(
        mut self,
        name: &str,
        function: impl Fn(&[Value]) -> Result<Value, String> + Send + Sync + 'static,
    ) -> PageBuilder {
        self.host.functions.insert(name.into(), Arc::new(function));
        self
    }

    /// Answers a function that is declared with `awaits`: with a future. It runs wherever the page
    /// is driven: [`Page::next`], [`Page::poll_next`] or [`Page::answers_now`].
    pub fn answer_later<Args, F, Fut, T, E>(self, name: &str, function: F) -> PageBuilder
    where
        F: Function<Args, Output = Fut>,
        Fut: Future<Output = Result<T, E>> + Send + 'static,
        T: Serialize,
        E: Display,
    {
        self.try_stream(name, move |args: &[Value]| {
            function.call(args).map(futures_util::stream::once)
        })
    }

    /// Answers a function that is declared with `streams`: with a stream. When it ends, what it
    /// said last stays.
    pub fn stream<Args, F, S>(self, name: &str, function: F) -> PageBuilder
    where
        F: Function<Args, Output = S>,
        S: Stream + Send + 'static,
        S::Item: Serialize,
    {
        self.try_stream(name, move |args: &[Value]| {
            let stream = function.call(args)?;
            Ok(stream.map(Ok::<_, String>))
        })
    }

    /// As [`PageBuilder::stream`], with a closure that reads the arguments itself, and a stream that may
    /// fail. Its first failure ends it.
    pub fn try_stream<S, T, E>(
        mut self,
        name: &str,
        begin: impl Fn(&[Value]) -> Result<S, String> + Send + 'static,
    ) -> PageBuilder
    where
        S: Stream<Item = Result<T, E>> + Send + 'static,
        T: Serialize,
        E: Display,
    {
        let begin = move |args: &[Value]| -> Answers {
            match begin(args) {
                Ok(stream) => {
                    stream.map(|item| answer_of(item.map_err(|error| error.to_string())?)).boxed()
                }
                Err(reason) => futures_util::stream::iter([Err(reason)]).boxed(),
            }
        };
        let name: Name = name.into();
        // Where the rest is answered by hand, all is promised already.
        if let Some(promised) = &mut self.host.promised {
            promised.insert(name.clone());
        }
        self.later.insert(name, Box::new(begin));
        self
    }

    /// Formats for people as a language does (a BCP 47 tag) and in a time zone (of the IANA
    /// database), for the functions of `Local`. Without this it is `en` and `UTC`.
    ///
    /// # Errors
    /// What is no language tag, or no time zone.
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-price.vein",
    ///     "takes coins: number\n<p>{Local.money(coins, 'EUR')} {Local.date(0, 'long')}</p>")])?;
    /// let page = ui.page("a-price").locale("de", "Europe/Berlin")?;
    /// let page = page.open(serde_json::json!({ "coins": 1234.5 }))?;
    /// assert_eq!(page.html(), "<p>1.234,50&nbsp;€ 1. Januar 1970</p>");
    /// # Ok::<(), vein::Error>(())
    /// ```
    #[cfg(feature = "locale")]
    pub fn locale(mut self, tag: &str, zone: &str) -> Result<PageBuilder, Error> {
        self.host.formats = Some(Arc::new(vein_locale::Locale::new(tag, zone)?));
        Ok(self)
    }

    /// The time of day when the page is opened, in milliseconds since 1970: what `Date.now()` gives then. It goes on with the page's
    /// clock. Without this it is the beginning of 1970, so that tests can be repeated; [`Page::set_date`] sets it later.
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-note.vein",
    ///     "holds at = 0\n<button click='-> at = Date.now()'>{Local.date(at, 'long')}</button>")])?;
    /// let mut page = ui.page("a-note").date(1_777_885_200_000.0).open(())?;
    /// page.find("button")?.click()?;
    /// assert_eq!(page.html(), "<button>May 4, 2026</button>");
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn date(mut self, milliseconds: f64) -> PageBuilder {
        self.host.date = Some(milliseconds);
        self
    }

    /// What `Math.random()` begins with; without this, 0. Pages that begin with the same come to the same numbers.
    pub fn seed(mut self, seed: u32) -> PageBuilder {
        self.host.seed = seed;
        self
    }

    /// Leaves what is declared with `awaits` and `streams` and not answered here to whoever drives
    /// the page: [`Page::questions`], [`Page::answer`].
    pub fn manual_answers(mut self) -> PageBuilder {
        self.host.promised = None;
        self
    }

    /// What each pulse may use up; without this, what [`Ui::with_budget`] says, or
    /// [`Budget::default`]. A pulse that would use more is taken
    /// back and says so, the opening as any other.
    ///
    /// ```
    /// use vein::Budget;
    /// let ui = vein::Ui::from_sources([("a-sum.vein",
    ///     "takes rows: number[]\n<p>{rows.reduce((sum, row) => sum + row, 0)}</p>")])?;
    /// let few = Budget { steps: 100, ..Budget::default() };
    /// assert!(ui.page("a-sum").budget(few).open(serde_json::json!({ "rows": [1, 2] })).is_ok());
    /// let many = serde_json::json!({ "rows": vec![1; 1000] });
    /// let Err(error) = ui.page("a-sum").budget(few).open(many) else { panic!("more than a hundred steps") };
    /// assert!(error.to_string().contains("`p text`: here the pulse came to more than 100 steps"), "{error}");
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn budget(mut self, budget: Budget) -> PageBuilder {
        self.host.budget = budget;
        self
    }

    /// Whether every pulse is proven exact, from the start; it is, unless this says otherwise. Proof
    /// costs a fresh rendering of the view for every pulse.
    pub fn proven(mut self, on: bool) -> PageBuilder {
        self.proving = on;
        self
    }

    /// Opens the page with the component's props: anything that serde turns into an object.
    ///
    /// # Errors
    /// An unknown component or prop, a missing prop, a value of the wrong type, functions that
    /// nobody answers, or what went wrong while everything was worked out.
    pub fn open(self, props: impl Serialize) -> Result<Page, Error> {
        let props = serde_json::to_value(props)?.into();
        self.open_value(props)
    }

    /// As [`PageBuilder::open`], with the props as a record of the language. Its strings may hold what
    /// Rust's cannot, halves of surrogate pairs; [`json::parse`](crate::json::parse) reads such data.
    ///
    /// # Errors
    /// As [`PageBuilder::open`].
    pub fn open_value(self, props: Value) -> Result<Page, Error> {
        let program = self.ui.program().clone();
        let (session, opening) = Session::open(program, &self.component, props, self.host)?;
        Page::new(session, opening, self.later, self.proving)
    }

    /// As [`PageBuilder::open_value`], going on with what another page held, as [`Page::held`] gave it. Gives also what of that does not
    /// fit. What is no such thing counts as nothing.
    ///
    /// # Errors
    /// As [`PageBuilder::open`].
    ///
    /// ```
    /// let ui = vein::Ui::from_sources([("a-count.vein", "holds n = 0\n<button click='-> n++'>{n}</button>")])?;
    /// let mut page = ui.open("a-count", ())?;
    /// page.find("button")?.click()?;
    /// let (page, lost) = ui.page("a-count").open_with(vein::Value::Null, &page.held())?;
    /// assert_eq!(page.html(), "<button>1</button>");
    /// assert!(lost.is_empty());
    /// # Ok::<(), vein::Error>(())
    /// ```
    pub fn open_with(self, props: Value, held: &Value) -> Result<(Page, Vec<Lost>), Error> {
        let Some(carried) = Carried::from_value(held) else {
            return self.open_value(props).map(|page| (page, Vec::new()));
        };
        let (session, opening, lost, later, proving) = self.in_place(props, Some(carried))?;
        Ok((Page::new(session, opening, later, proving)?, lost))
    }

    pub(crate) fn in_place(self, props: Value, carried: Option<Carried>) -> Result<InPlace, Error> {
        let program = self.ui.program().clone();
        let opened = Session::open_in_place(program, &self.component, props, self.host, carried);
        let (session, opening, lost) = opened?;
        Ok((session, opening, lost, self.later, self.proving))
    }
}
