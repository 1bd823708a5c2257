//! `{await fetch(1)}`: only statements can wait.

use super::Finding;

pub(crate) struct AwaitMisplaced;

impl Finding for AwaitMisplaced {
    const CODE: &'static str = "await-misplaced";
    const ABOUT: &'static str = "`await` in the middle of an expression";

    fn message(&self) -> String {
        "only a whole statement can wait for an answer".into()
    }

    fn advice(&self) -> Vec<String> {
        vec![
            "in a handler, write `const answer = await …` first and use `answer`; to show what \
             comes, declare `loads answer: … = …`"
                .into(),
        ]
    }
}

#[cfg(test)]
super::examples! { AwaitMisplaced:
    "awaits b(): number\n<p>{await b()}</p>" => "await",
    "awaits b(): number\nholds a = 1\n<p click='-> a += await b()'>{a}</p>" => "await",
    "awaits b(): number\nholds a = 1\n<p click='-> a = 1 + await b()'>{a}</p>" => "await",
}
