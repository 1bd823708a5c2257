//! Text changed by its words, so that more of it stays readable than if its bytes were.

use crate::random::Random;

/// What is put in.
const PIECES: [&str; 111] = [
    "holds n = 1\n",
    "derives d = n + 1\n",
    "takes s: string\n",
    "takes n: number = 1\n",
    "upon added { n = 2; }\n",
    "upon change (n) { n = 2; }\n",
    "upon every (100) { n++; }\n",
    "asks f(n: number): string\n",
    "awaits g(n: number): number[]\n",
    "loads xs: number[] = g(n)\n",
    "gives buy(n: number)\n",
    "does go() { n++; }\n",
    "holds xs = [1, 2]\n",
    "shape X { n: number }\n",
    " each='x of xs'",
    " each='x of xs by x'",
    " when='n'",
    " or-when='n > 1'",
    " otherwise",
    "<button click='-> go()'>+</button>",
    "<p>{n}</p>",
    "<slot></slot>",
    "<fuzz-box label='<- s' taken='-> n = event.amount'></fuzz-box>",
    "<fuzz-bed></fuzz-bed>",
    "<input value='<-> s'>",
    "<input type='checkbox' checked='<-> b'>",
    "<select value='<-> s'><option>a</option></select>",
    "<- ",
    "<-> ",
    "-> ",
    " is waiting",
    " is failed",
    "event.n",
    "give buy(n);",
    "!",
    "n++",
    "n += 1",
    "= null",
    " ?? ",
    "?.",
    " ? 1 : 2",
    "[...xs, 1]",
    "{ ...x, n: 1 }",
    "xs.map(x => x)",
    "xs.push(1)",
    "xs.splice(0, 1)",
    "xs.filter(x => x)",
    ".length",
    ".sort((a, b) => a - b)",
    ".toFixed(1)",
    ".reduce((a, b) => a + b, 0)",
    "JSON.parse(s)",
    "JSON.stringify(xs)",
    "if (n) { n = 0 } else { n = 1 }",
    "for (const x of xs) n += x",
    "while (n < 3) n++",
    "return",
    "const k = n;",
    "let k = n;",
    "await f(1)",
    "Math.max(1, n)",
    "`a${n}b`",
    "'text'",
    "0",
    "1e21",
    "-0",
    "NaN",
    "null",
    "true",
    "=== ",
    "!== ",
    " && ",
    " || ",
    "(",
    ")",
    "[",
    "]",
    "{",
    "}",
    "<i>",
    "</i>",
    "<style>",
    "</style>",
    "@media (x) {",
    ":has(",
    ":is(",
    "::before",
    "&",
    " > ",
    "/*",
    "*/",
    "<!--",
    "-->",
    "\\",
    "\"",
    "'",
    "`",
    "\n",
    "\0",
    "\u{feff}",
    "\u{d7ff}",
    "😀",
    "\\ud83d",
    "1e999",
    "key = 1\n",
    "[table]\n",
    "[[list]]\n",
    "with = { n = 1 }\n",
    "click = 'button'\n",
    "find = 'p'\n",
    "{\"event\":{\"event\":\"click\",\"reached\":[[1,0]]}}\n",
];

/// Changes a text in place, and says how long it is by then.
pub fn mutated(data: &mut [u8], size: usize, most: usize, seed: u32) -> usize {
    let mut random = Random(u64::from(seed) * 2_654_435_761 + 1);
    let mut below = |n: usize| random.below(n);
    let mut words: Vec<Vec<u8>> = words(&data[..size]).map(<[u8]>::to_vec).collect();
    for _ in 0..=below(3) {
        let (at, other) = (below(words.len()), below(words.len()));
        match below(6) {
            0 if !words.is_empty() => drop(words.remove(at)),
            1 if !words.is_empty() => words.swap(at, other),
            2 if !words.is_empty() => words[at] = words[other].clone(),
            // Some words from elsewhere in the text, once more.
            3 if !words.is_empty() => {
                let end = words.len().min(other + 1 + below(12));
                let some = words[other..end].to_vec();
                words.splice(at..at, some);
            }
            4 if !words.is_empty() => {
                let end = words.len().min(at + 1 + below(8));
                words.drain(at..end);
            }
            _ => words.insert(at, PIECES[below(PIECES.len())].as_bytes().to_vec()),
        }
    }
    let all = words.concat();
    let len = all.len().min(most);
    data[..len].copy_from_slice(&all[..len]);
    len
}

/// Runs of letters and digits, runs of spaces, and everything else by itself.
fn words(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    let kind = |byte: &u8| match byte {
        b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'_' | b'-' | 128.. => 1,
        b' ' | b'\t' => 2,
        _ => 0,
    };
    text.chunk_by(move |a, b| kind(a) == kind(b) && kind(a) != 0)
}
