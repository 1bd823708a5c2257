//! What random projects wear beside their main text: classes, styles, names and data on elements and
//! components, components that are the root of others, listeners with options, more controls, SVG. It is
//! drawn from numbers of its own, so that a project without it stays the project that it was.

use crate::generate::Random;
use crate::projects::{Names, Writer};

/// Components that have another component at their root, each with the one that it shows.
pub const FRAMES: [(&str, &str); 2] = [("card-frame", "leaf-card"), ("far-frame", "card-frame")];

/// What a project wears beside its main text, and so what it is drawn from. Each wears what those before it do.
#[derive(Clone, Copy, PartialEq)]
pub enum Wear {
    /// Nothing, as it was before there was anything.
    Nothing,
    /// What the seed gives, without forms, as it was before there were any.
    Formless(u64),
    /// What the seed gives, without what answers in the middle of a handler, as it was before there was any.
    Mute(u64),
    /// What the seed gives, without what writes items as wholes, as it was before there was any.
    Parted(u64),
    /// What the seed gives, without what fails where nobody shows what it read, as it was before there was any.
    Sure(u64),
    /// What the seed gives, without what is kept by keys, as it was before there was any.
    Keyless(u64),
    /// What the seed gives.
    Seed(u64),
}

impl Wear {
    /// Where what came into the world so many steps after nothing is drawn from, if it is worn.
    pub fn drawn_from(self, since: u32, salt: u64) -> Option<Random> {
        let (step, seed) = match self {
            Wear::Nothing => (0, 0),
            Wear::Formless(seed) => (1, seed),
            Wear::Mute(seed) => (2, seed),
            Wear::Parted(seed) => (3, seed),
            Wear::Sure(seed) => (4, seed),
            Wear::Keyless(seed) => (7, seed),
            Wear::Seed(seed) => (8, seed),
        };
        (step >= since).then(|| Random::new(seed ^ salt))
    }
}

impl Writer<'_> {
    /// Draws from some numbers beside for a while. Gives nothing where there are none.
    fn drawn<T>(
        &mut self,
        of: fn(&mut Self) -> &mut Option<Random>,
        draw: impl FnOnce(&mut Self) -> T,
    ) -> Option<T> {
        let mut beside = of(self).take()?;
        std::mem::swap(self.random, &mut beside);
        let drawn = draw(self);
        std::mem::swap(self.random, &mut beside);
        *of(self) = Some(beside);
        Some(drawn)
    }

    /// Draws what is worn beside the main text.
    pub fn aside<T>(&mut self, draw: impl FnOnce(&mut Self) -> T) -> Option<T> {
        self.drawn(|writer| &mut writer.beside, draw)
    }

    /// Draws what answers in the middle of a handler.
    pub fn answering<T>(&mut self, draw: impl FnOnce(&mut Self) -> T) -> Option<T> {
        self.drawn(|writer| &mut writer.answers, draw)
    }

    /// What tells the items of a loop apart, where that is more than a field.
    pub fn identity(&mut self, item: &str) -> Option<String> {
        let by = self.answering(|writer| match writer.random.below(12) {
            0 => Some(format!("{item}.levels.join()")),
            1 => Some(format!("{item}.levels.length")),
            2 => Some(format!("{item}.inner.map(q => q.id).join() + {item}.crop")),
            3 => Some(format!("{item}.wet ? {item}.id : {item}.inner.length")),
            _ => None,
        });
        by.flatten().map(|by| format!(" by {by}"))
    }

    /// What a card is given, and how it is heard.
    pub fn leaf_props(&mut self, names: &Names, bed: &str) -> String {
        let mut given = format!(" bed=\"<- {bed}\"");
        if self.random.below(2) == 0 {
            given.push_str(&format!(" limit=\"<- {}\"", self.number(names)));
        }
        match self.random.below(4) {
            0 if !names.number_places.is_empty() => {
                let place = self.random.pick(&names.number_places).clone();
                given.push_str(&format!(" level=\"<-> {place}\""));
            }
            1 => given.push_str(" level=\"2\""),
            2 => given.push_str(&format!(" level=\"<- {}\"", self.number(names))),
            _ => {}
        }
        if self.random.below(3) == 0 {
            given.push_str(&format!(
                " class=\"from {{{}}}\" data-x=\"<- {}\"",
                self.text(names),
                self.text(names)
            ));
        } else {
            given.push_str(&self.aside(|writer| writer.dress(names)).unwrap_or_default());
        }
        if self.random.below(2) == 0 {
            given.push_str(&format!(" picked=\"-> {}\"", self.statements(names)));
        }
        self.answers(names, &mut given);
        given
    }

    /// What a card is given so that it can answer: where its row stands, and what changes the list that it stands in.
    fn answers(&mut self, names: &Names, given: &mut String) {
        let position = names.numbers.iter().find(|name| name.starts_with("at")).cloned();
        let more = self.answering(|writer| {
            let mut more = String::new();
            if let Some(position) = position.filter(|_| !given.contains(" limit="))
                && writer.random.below(3) > 0
            {
                more.push_str(&format!(" limit=\"<- {position}\""));
            }
            if !given.contains(" picked=") && !names.list_places.is_empty() {
                let list = writer.random.pick(&names.list_places).clone();
                let edits = writer.list_statement(&list, names);
                more.push_str(&format!(" picked=\"-> {edits}\""));
            }
            more
        });
        given.push_str(&more.unwrap_or_default());
    }

    /// A button of a card whose handler gives an event and goes on with what has come of it.
    pub fn answering_button(&mut self) -> Option<String> {
        self.answering(|writer| {
            let mut body = String::new();
            for _ in 0..2 + writer.random.below(4) {
                let number =
                    *writer.random.pick(&["limit", "level", "count", "bed.id", "reach", "reach"]);
                body.push_str(&match writer.random.below(7) {
                    0..3 => format!("give picked({number}); "),
                    3 => format!("count = {number}; "),
                    4 => format!("level = {number} + 1; "),
                    5 => format!("count = dry ? {number} : 0; "),
                    _ => "open = dry; ".to_owned(),
                });
            }
            format!("<button click=\"-> {body}\">a</button>")
        })
    }

    /// Buttons of a card that read what nobody shows, and may fail then.
    pub fn failing_buttons(&mut self) -> Option<String> {
        self.drawn(
            |writer| &mut writer.fails,
            |writer| {
                let mut buttons = String::new();
                for _ in 0..writer.random.below(3) {
                    let number = *writer.random.pick(&["far", "deep", "far + deep", "level", "limit"]);
                    let does = match writer.random.below(6) {
                        0 => format!("count = {number}"),
                        1 => format!("level = {number} % 5"),
                        2 => format!("give picked({number} % 4)"),
                        3 => "few.pop()".to_owned(),
                        4 => "few.push(deep % 3)".to_owned(),
                        _ => format!("few = [{number} % 7]"),
                    };
                    let when = *writer.random.pick(&["far > 3", "dry", "open", "deep > limit", "count !== 1"]);
                    buttons.push_str(&format!(
                        "<button click=\"-> {does}; if ({when}) few[9] = far; open = !open\">f</button>"
                    ));
                }
                buttons
            },
        )
    }

    /// Something in a row that writes its item as a whole, or numbers in it, or hands it on both ways.
    pub fn as_a_whole(&mut self, names: &Names, item: &str) -> String {
        let whole = self.drawn(
            |writer| &mut writer.wholes,
            |writer| match writer.random.below(8) {
                0 => format!(
                    "<button click=\"-> {item} = {{ ...{item}, wet: !{item}.wet, id: {} }}\">w</button>",
                    writer.number(names)
                ),
                1 => {
                    let (other, _) = writer.random.pick(&names.beds).clone();
                    format!("<button click=\"-> {item} = {other}\">w</button>")
                }
                2 | 3 => format!("<own-card bed=\"<-> {item}\"></own-card>"),
                4 => writer.levels(&format!("{item}.levels")),
                _ => String::new(),
            },
        );
        whole.unwrap_or_default()
    }

    /// A loop over numbers that writes them, straight or by way of a list that is made of them.
    fn levels(&mut self, list: &str) -> String {
        let way = match self.random.below(7) {
            0 => ".filter(q => q > 1)",
            1 => ".toSorted((p, q) => q - p)",
            2 => ".toReversed()",
            3 => ".slice(1)",
            4 => ".filter((q, at) => at !== 1).toReversed().slice(0, 2)",
            _ => "",
        };
        let writes = match self.random.below(3) {
            0 => "<input type=\"number\" value=\"<-> level\">",
            1 => "<button click=\"-> level += 1\">l</button>",
            _ => {
                "<button click=\"-> level = level > 3 ? 0 : level * 2 + 1; level += 1\">l</button>"
            }
        };
        let by = if self.random.below(2) == 0 { " by level" } else { "" };
        format!("<sup each=\"level of {list}{way}{by}\">{{level}}{writes}</sup>")
    }

    /// A component that has an item of its own both ways, and hands those inside it on in the same way.
    pub fn own_card(&mut self) -> Option<(String, String)> {
        self.drawn(
            |writer| &mut writer.wholes,
            |writer| {
                let mut markup = String::from("{bed.crop}{bed.levels.length}");
                for _ in 0..2 + writer.random.below(4) {
                    markup.push_str(&match writer.random.below(8) {
                        0 => "<button click=\"-> bed.wet = !bed.wet\">{bed.wet}</button>".to_owned(),
                        1 => "<button click=\"-> bed = { ...bed, id: bed.id + 1 }\">o</button>".into(),
                        2 => "<button click=\"-> bed.inner.push({ ...bed, inner: [] })\">o</button>".into(),
                        3 => "<button click=\"-> bed.inner = bed.inner.length > 1 ? [] : [bed, ...bed.inner]\">o</button>".into(),
                        4 => "<input value=\"<-> bed.crop\">".into(),
                        5 => "<button click=\"-> bed.levels.push(bed.inner.length)\">o</button>".into(),
                        6 => writer.levels("bed.levels"),
                        _ => "<own-card each=\"inner of bed.inner by inner.id\" bed=\"<-> inner\"></own-card>".into(),
                    });
                }
                ("own-card.vein".into(), format!("shares bed: Bed\n<!-- m --><div>{markup}</div>\n"))
            },
        )
    }

    /// A control, sometimes in a form that can be reset, with others.
    pub fn in_form(&mut self, names: &Names, control: String) -> String {
        let Some(mut forms) = self.forms.take() else { return control };
        if forms.below(3) > 0 {
            self.forms = Some(forms);
            return control;
        }
        std::mem::swap(self.random, &mut forms);
        let heard = match self.random.below(4) {
            0 => format!(" reset=\"-> {}\"", self.statements(names)),
            1 => format!(" reset=\"->(prevent) {}\"", self.statements(names)),
            _ => String::new(),
        };
        let mut more = String::new();
        for _ in 0..self.random.below(3) {
            more.push_str(&self.extra(names));
        }
        std::mem::swap(self.random, &mut forms);
        self.forms = Some(forms);
        format!("<form{heard}>{control}{more}<button type=\"reset\">r</button></form>")
    }

    fn class(&mut self, names: &Names) -> String {
        match self.random.below(6) {
            0 => " class=\"fixed  two\"".into(),
            1 => format!(" class=\"in-{{{}}}\"", self.text(names)),
            2 => format!(
                " class=\"<- ['l', {} && 'm', {}, {} ? 'n' : null]\"",
                self.flag(names),
                self.text(names),
                self.flag(names)
            ),
            3 => format!(" class=\"<- {} ? 'maybe' : null\"", self.flag(names)),
            4 => format!(" class=\"{{{}}}\"", self.text(names)),
            _ => format!(" class=\"<- [...['p', 'q'], {}]\"", self.text(names)),
        }
    }

    fn style(&mut self, names: &Names) -> String {
        match self.random.below(6) {
            0 => " style=\"color: red; margin: 2px\"".into(),
            1 => format!(" style=\"order: {{{}}}; color: blue;\"", self.number(names)),
            2 => format!(
                " style=\"<- {{ zIndex: {}, '--tone': {} }}\"",
                self.number(names),
                self.text(names)
            ),
            3 => {
                format!(
                    " style=\"<- {} ? 'top: 1px; background: url(x)' : null\"",
                    self.flag(names)
                )
            }
            4 => format!(
                " style=\"<- {} ? {{ opacity: {} }} : null\"",
                self.flag(names),
                self.number(names)
            ),
            _ => format!(" style=\"<- 'left: ' + {} + 'px;'\"", self.number(names)),
        }
    }

    /// Attributes that reach a component's root, for one that has none yet.
    pub fn dress(&mut self, names: &Names) -> String {
        let mut worn = String::new();
        if self.random.below(3) > 0 {
            worn.push_str(&self.class(names));
        }
        if self.random.below(2) == 0 {
            worn.push_str(&self.style(names));
        }
        match self.random.below(6) {
            0 => worn.push_str(&format!(" id=\"<- 'i' + {}\"", self.number(names))),
            1 => worn.push_str(&format!(" data-on=\"<- {}\"", self.flag(names))),
            2 => worn.push_str(&format!(" data-on=\"{{{}}}\"", self.flag(names))),
            3 => worn.push_str(&format!(" aria-busy=\"<- {}\"", self.flag(names))),
            _ => {}
        }
        worn.push_str(&self.whole(names, &worn));
        worn
    }

    /// All of a list or a bed at once, with what is deep in it. It is drawn from what was drawn already.
    fn whole(&self, names: &Names, worn: &str) -> String {
        if self.forms.is_none() {
            return String::new();
        }
        let drawn = worn
            .bytes()
            .fold(7, |drawn: usize, byte| drawn.wrapping_mul(31).wrapping_add(usize::from(byte)));
        let all: Vec<&String> =
            names.lists.iter().chain(&names.beds).map(|(name, _)| name).collect();
        match all.get(drawn / 8 % (all.len() * 3).max(1)) {
            Some(place) if drawn % 2 == 0 => format!(" data-all=\"<- JSON.stringify({place})\""),
            Some(place) => format!(" data-all=\"{{JSON.stringify({place})}}\""),
            None => String::new(),
        }
    }

    /// One of the components that stand for a card.
    pub fn card(&mut self) -> &'static str {
        self.random.pick::<&str>(&["leaf-card", "card-frame", "far-frame"])
    }

    /// A node that the main text does not have.
    pub fn extra(&mut self, names: &Names) -> String {
        let place = |random: &mut Random, places: &[String]| match places {
            [] => None,
            places => Some(random.pick(places).clone()),
        };
        let dress = self.dress(names);
        let text = place(self.random, &names.text_places);
        let number = place(self.random, &names.number_places);
        let flag = place(self.random, &names.flag_places);
        let either = text.or_else(|| number.clone());
        match (self.random.below(12), either, number, flag) {
            (0, ..) => {
                format!("<button{dress} click=\"->(once) {}\">o</button>", self.statements(names))
            }
            (1, ..) => {
                let body = self.statements(names);
                format!(
                    "<button click=\"->(quiet 30) {body}\" dblclick=\"->(once) {body}\">q</button>"
                )
            }
            (2, Some(place), ..) => format!("<input{dress} value=\"<->(quiet 40) {place}\">"),
            (3, Some(place), ..) => {
                let kind: &str = self
                    .random
                    .pick::<&str>(&["search", "tel", "password", "hidden", "email", "url"]);
                format!(
                    "<input type=\"{kind}\" value=\"<-> {place}\" input=\"-> {}\">",
                    self.statements(names)
                )
            }
            (4, _, Some(place), _) => {
                format!("<input type=\"range\" min=\"0\" max=\"9\" value=\"<-> {place}\">")
            }
            (5, _, _, Some(place)) => format!("<dialog{dress} open=\"<-> {place}\">d</dialog>"),
            (6, ..) => format!(
                "<svg{dress} viewBox=\"0 0 9 9\"><circle r=\"<- {}\" fill=\"{{{}}}\"></circle>\
                 <text x=\"1\">{{{}}}</text></svg>",
                self.number(names),
                self.text(names),
                self.text(names)
            ),
            (7, ..) => {
                format!("<div{dress} html=\"<- '<p>' + {} + '</p>'\"></div>", self.text(names))
            }
            (8, ..) => format!(
                "<input type=\"checkbox\" checked=\"<- {}\"><textarea value=\"<- {}\"></textarea>",
                self.flag(names),
                self.text(names)
            ),
            (9, ..) => format!(
                "<meter{dress} min=\"0\" max=\"9\" value=\"<- {}\"></meter>",
                self.number(names)
            ),
            _ => format!("<p{dress}>{{{}}}</p>", self.text(names)),
        }
    }
}

/// The components whose root is another component.
pub fn frames(writer: &mut Writer<'_>, names: &Names) -> Vec<(String, String)> {
    let frame = |(name, inner): (&str, &str)| {
        let worn = writer.dress(names);
        let text = format!(
            "takes bed: Bed\ntakes limit: number = 3\nshares level: number = 1\n\
             gives picked(id: number)\nholds count = 0\nholds open = false\n\
             derives dry = bed.id < limit + count\n<!-- m --><{inner} bed=\"<- bed\" limit=\"<- limit\" \
             level=\"<-> level\" picked=\"->\"{worn}></{inner}>\n"
        );
        (format!("{name}.vein"), text)
    };
    FRAMES.map(frame).into()
}
