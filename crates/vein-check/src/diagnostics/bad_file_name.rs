//! `Bed.vein`: a file whose name cannot be that of an element.

use super::Finding;

pub(crate) struct BadFileName {
    pub(crate) stem: String,
}

impl BadFileName {
    /// A name in the same spirit that would do.
    fn better(&self) -> String {
        let mut out = String::new();
        for c in self.stem.chars() {
            if c.is_uppercase() && !out.is_empty() && !out.ends_with('-') {
                out.push('-');
            }
            match c.to_ascii_lowercase() {
                c if c.is_ascii_alphanumeric() => out.push(c),
                _ if !out.is_empty() && !out.ends_with('-') => out.push('-'),
                _ => {}
            }
        }
        let out = out.trim_matches(|c: char| c == '-' || c.is_ascii_digit());
        match out {
            "" => "my-component".into(),
            name if name.contains('-') => name.into(),
            name => format!("{name}-view"),
        }
    }
}

impl Finding for BadFileName {
    const CODE: &'static str = "bad-file-name";
    const ABOUT: &'static str = "A file whose name cannot be the name of an element";

    fn message(&self) -> String {
        format!("`{}` cannot be the name of a component", self.stem)
    }

    fn label(&self) -> String {
        "the component in this file has no usable name".into()
    }

    fn advice(&self) -> Vec<String> {
        vec![
            "the file's name is the element's name: lower case, beginning with a letter, with at \
             least one hyphen"
                .into(),
            format!("rename the file to `{}.vein`", self.better()),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::BadFileName;

    #[test]
    fn suggests_a_name_that_would_do() {
        for (stem, better) in [
            ("Bed", "bed-view"),
            ("BedRow", "bed-row"),
            ("bed_row", "bed-row"),
            ("2 beds", "beds-view"),
            ("", "my-component"),
            ("Bett für Äpfel", "bett-f-r-pfel"),
        ] {
            let name = BadFileName { stem: stem.into() }.better();
            assert_eq!(name, better);
            assert!(vein_syntax::elements::is_component_name(&name));
        }
    }
}
