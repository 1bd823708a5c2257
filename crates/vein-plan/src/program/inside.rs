//! What is found in components, and how it is written.

use super::*;
use crate::members::Member;

impl Plan {
    /// Whether an expression makes a name that is the component's alone on its page.
    pub fn is_own_id(&self, expr: ExprId) -> bool {
        matches!(&self.exprs[expr as usize], Expr::Call(Member::OwnId, ..))
    }

    /// The stores that it reads or calls, by their plans' numbers, each once.
    pub fn stores_read(&self) -> Vec<u32> {
        let read = self.cells.iter().filter_map(|cell| match &cell.kind {
            CellKind::Store(plan, _) => Some(*plan),
            _ => None,
        });
        let called = self.stmts.iter().filter_map(|stmt| match stmt {
            Stmt::CallStore(plan, ..) => Some(*plan),
            _ => None,
        });
        let mut found: Vec<u32> = read.chain(called).collect();
        found.sort_unstable();
        found.dedup();
        found
    }

    /// Every part, with its block.
    pub fn parts(&self) -> impl Iterator<Item = (BlockId, &Part)> {
        self.blocks.iter().enumerate().flat_map(|(number, block)| {
            block.parts.iter().map(move |part| (number as BlockId, part))
        })
    }
}

impl SpotKind {
    /// The blocks that are written in the spot.
    pub fn blocks(&self) -> Vec<BlockId> {
        match self {
            SpotKind::Branch { alternatives, .. } => alternatives.clone(),
            SpotKind::List { block, .. } | SpotKind::Renamed { block, .. } => vec![*block],
            SpotKind::Component(used) => used.contents.iter().map(|(_, block)| *block).collect(),
            SpotKind::Slot { fallback, .. } => fallback.iter().copied().collect(),
            SpotKind::Markup { .. } => Vec::new(),
        }
    }
}

impl Block {
    /// The number of its template's marked nodes.
    pub fn marks(&self) -> u32 {
        self.template.iter().filter(|node| node.is_marked()).count() as u32
    }

    /// The marked node that a spot stands before among its siblings, with nothing between them
    /// but other spots; `None` at the end.
    pub fn stands_before(&self, spot: &Spot) -> Option<u32> {
        let mut next = spot.next;
        loop {
            match next {
                Next::End => return None,
                Next::Node(mark) => return Some(mark),
                Next::Spot(after) => next = self.spots[after as usize].next,
            }
        }
    }
}

impl TemplateNode {
    /// Whether something refers to it.
    pub fn is_marked(&self) -> bool {
        match self {
            TemplateNode::Open { marked, .. } | TemplateNode::Text { marked, .. } => *marked,
            TemplateNode::TextPart => true,
            TemplateNode::Close => false,
        }
    }
}

impl Program {
    /// A component's place by its name.
    pub fn find(&self, name: &str) -> Option<usize> {
        self.plans.iter().position(|plan| &*plan.name == name)
    }

    /// Whether anything asks for the time of day, or for chance.
    pub fn asks_for_moments(&self) -> bool {
        let moment =
            |expr: &Expr| matches!(expr, Expr::Call(member, ..) if member.is_of_the_moment());
        self.plans.iter().any(|plan| plan.exprs.iter().any(moment))
    }

    /// A component with the components that it can show and the stores that these use, by their
    /// numbers; a store stands after those that it uses itself.
    pub fn with_all_inside(&self, plan: usize) -> Vec<usize> {
        let inside = |plan: &Plan| -> Vec<usize> {
            let spots = plan.blocks.iter().flat_map(|block| &block.spots);
            let shown = spots.filter_map(|spot| match &spot.kind {
                SpotKind::Component(used) => Some(used.plan as usize),
                _ => None,
            });
            shown.chain(plan.stores_read().into_iter().map(|store| store as usize)).collect()
        };
        let mut seen = vec![false; self.plans.len()];
        let mut found = Vec::new();
        let mut open = vec![(plan, None::<Vec<usize>>)];
        while let Some((plan, left)) = open.pop() {
            let mut left = match left {
                Some(left) => left,
                None if std::mem::replace(&mut seen[plan], true) => continue,
                None => inside(&self.plans[plan]),
            };
            match left.pop() {
                Some(next) => {
                    open.push((plan, Some(left)));
                    open.push((next, None));
                }
                None => found.push(plan),
            }
        }
        found
    }

    /// The program with nothing in it but a component and what it can show and use. Every plan keeps
    /// its number; those that are left out are empty, and none is called as they were.
    pub fn only(&self, plan: usize) -> Program {
        let kept = self.with_all_inside(plan);
        let plans =
            self.plans.iter().enumerate().map(|(number, plan)| match kept.contains(&number) {
                true => plan.clone(),
                false => Plan { blocks: vec![Block::default()], ..Plan::default() },
            });
        Program { plans: plans.collect(), ..self.clone() }
    }

    /// A function of the host as it is declared: `awaits weigh(bed: number): number`.
    pub fn signature(&self, asked: &crate::Asked) -> String {
        let params = asked.params.iter();
        let params: Vec<String> =
            params.map(|(name, ty)| format!("{name}: {}", self.type_name(*ty))).collect();
        let (verb, result) = (asked.answers.verb(), self.type_name(asked.result));
        format!("{verb} {}({}): {result}", asked.name, params.join(", "))
    }

    /// How a type is written in the language.
    ///
    /// ```
    /// use vein_plan::{Program, Type};
    /// let program = Program { types: vec![Type::Number, Type::List(0)], ..Program::default() };
    /// assert_eq!(program.type_name(1), "number[]");
    /// ```
    pub fn type_name(&self, ty: TypeId) -> String {
        match &self.types[ty as usize] {
            Type::Null => "null".into(),
            Type::String => "string".into(),
            Type::Number => "number".into(),
            Type::Boolean => "boolean".into(),
            Type::Literals(words) => {
                let words: Vec<String> = words.iter().map(|w| format!("'{w}'")).collect();
                words.join(" | ")
            }
            Type::List(item) => format!("{}[]", self.type_name_in_suffix(*item)),
            Type::Optional(inner) => format!("{}?", self.type_name_in_suffix(*inner)),
            Type::Record(fields) => {
                let fields: Vec<String> = fields
                    .iter()
                    .map(|(name, ty)| {
                        format!("{}: {}", self.names[*name as usize], self.type_name(*ty))
                    })
                    .collect();
                format!("{{ {} }}", fields.join(", "))
            }
            Type::Shape(shape) => self.shapes[*shape as usize].name.to_string(),
            Type::Dictionary(value) => format!("{}{{}}", self.type_name_in_suffix(*value)),
            Type::Entry(value) => format!("[string, {}]", self.type_name(*value)),
        }
    }

    fn type_name_in_suffix(&self, ty: TypeId) -> String {
        let name = self.type_name(ty);
        match &self.types[ty as usize] {
            Type::Literals(words) if words.len() > 1 => format!("({name})"),
            _ => name,
        }
    }
}
