//! Strings that would run something if they were let: each calls `hit()`, which a page counts.

/// A component that shows each string in every kind of place.
pub const LAB: &str = "\
shares all: string[]
<section each='s of all'>
  <b title='{s}' class='a {s}' data-x='<- s' aria-label='<- s' id='<- s'>{s}</b>
  <i class=\"<- ['a', s]\" style='<- { color: s, borderColor: s }' lang='<- s'>a {s} b</i>
  <u style='<- s'>{s}{s}</u>
  <a href='<- s'>a</a><a href='x{s}'>b</a><a href='/{s}'>c</a>
  <img src='<- s' alt='<- s'>
  <form action='<- s'><button formaction='<- s' value='<- s'>c</button></form>
  <input value='<- s' placeholder='<- s'><textarea value='<- s'></textarea>
  <select value='<- s'><option value='<- s'>{s}</option></select>
  <div html='<- s'></div>
  <any tag='<- s'>{s}</any>
  <svg><text fill='<- s'>{s}</text><a xlink:href='<- s'></a></svg>
  <pre>{s}</pre><q when='s'>{s}</q><q otherwise>none</q>
  <object data='<- s'></object><iframe src='<- s'></iframe><video poster='<- s'></video>
  <output each='t of s.split(s)' title='<- t'>{t}</output>
</section>
";

/// The strings.
pub fn strings() -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    // A scheme that runs, in every spelling that a parser of addresses takes for it.
    for scheme in ["javascript:", "JaVaScRiPt:", "vbscript:", "data:text/html,<script>"] {
        for lead in ["", " ", "\t", "\n", "\u{1}", "\u{0}", "\u{1f} ", "\u{a0}", "\u{feff}", "//"] {
            all.push(format!("{lead}{scheme}hit()"));
        }
    }
    for spelling in [
        "java\nscript:hit()",
        "java\tscript:hit()",
        "java\rscript:hit()",
        "jav&#x09;ascript:hit()",
        "jav&Tab;ascript:hit()",
        "&#106;avascript:hit()",
        "javascript&colon;hit()",
        "javascript&#58;hit()",
        "javascript://%0ahit()",
        "javascript:/*--></title>*/hit()",
        "javascript:\u{2028}hit()",
        "j\u{0}avascript:hit()",
        "feed:javascript:hit()",
        "view-source:javascript:hit()",
        "blob:hit()",
        "filesystem:hit()",
        "file:///hit",
        "data:image/svg+xml,<svg onload=hit() xmlns='http://www.w3.org/2000/svg'/>",
        "data:text/html;base64,PHNjcmlwdD5oaXQoKTwvc2NyaXB0Pg==",
        "data:application/xhtml+xml,<script>hit()</script>",
        "data:,hit()",
        "DATA:text/html,hit",
    ] {
        all.push(spelling.into());
    }
    // Elements that run something when they are parsed, each as it is and out of its place.
    let elements = [
        "<script>hit()</script>",
        "<SCRIPT>hit()</SCRIPT>",
        "<script/x>hit()</script>",
        "<scr<script>ipt>hit()</scr</script>ipt>",
        "<img src=x onerror=hit()>",
        "<img/src=x/onerror=hit()>",
        "<IMG SRC=x ONERROR='hit()'>",
        "<svg onload=hit()>",
        "<svg><script>hit()</script></svg>",
        "<svg/onload=hit()>",
        "<svg><animate onbegin=hit() attributeName=x dur=1s>",
        "<svg><set attributeName=href to=javascript:hit()>",
        "<math><mi xlink:href=javascript:hit()>x",
        "<body onload=hit()>",
        "<iframe src=javascript:hit()>",
        "<iframe srcdoc='<script>hit()</script>'>",
        "<object data=javascript:hit()>",
        "<embed src=javascript:hit()>",
        "<input autofocus onfocus=hit()>",
        "<select autofocus onfocus=hit()>",
        "<textarea autofocus onfocus=hit()>",
        "<details open ontoggle=hit()>x",
        "<video><source onerror=hit()>",
        "<audio src=x onerror=hit()>",
        "<marquee onstart=hit()>",
        "<a href=javascript:hit()>x</a>",
        "<a href='java&#10;script:hit()'>x</a>",
        "<form action=javascript:hit()><input type=submit>",
        "<button formaction=javascript:hit()>",
        "<isindex type=image src=1 onerror=hit()>",
        "<link rel=import href=data:text/html,hit>",
        "<link rel=stylesheet href=javascript:hit()>",
        "<meta http-equiv=refresh content='0;url=javascript:hit()'>",
        "<base href=javascript:hit()//>",
        "<style>@import 'javascript:hit()';</style>",
        "<style>*{background:url(javascript:hit())}</style>",
        "<div style='width:expression(hit())'>",
        "<template><script>hit()</script></template>",
        "<noscript><p title='</noscript><img src=x onerror=hit()>'>",
        "<xmp><script>hit()</script></xmp>",
        "<plaintext><script>hit()</script>",
        "<table background=javascript:hit()>",
        "<x onclick=hit()>x</x>",
        "<p onmouseover=hit()>x</p>",
        "<p/onpointerrawupdate=hit()>x",
    ];
    for element in elements {
        all.push(element.into());
    }
    for (before, after) in [
        ("\">", ""),
        ("'>", ""),
        ("-->", ""),
        ("</textarea>", ""),
        ("</title>", ""),
        ("</style>", ""),
        ("</script>", ""),
        ("</select>", ""),
        ("]]>", ""),
        ("</pre>", "<pre>"),
        ("<!--", "-->"),
        ("<![CDATA[", "]]>"),
        ("</svg>", "<svg>"),
        ("</iframe>", ""),
    ] {
        for element in &elements[..4] {
            all.push(format!("{before}{element}{after}"));
        }
        all.push(format!("{before}<img src=x onerror=hit()>{after}"));
    }
    // Out of an attribute's value, a declaration, an expression.
    for text in [
        "\" onmouseover=\"hit()",
        "' onmouseover='hit()",
        "` onmouseover=`hit()",
        "\" autofocus onfocus=hit() x=\"",
        "\"/onload=hit()/x=\"",
        "x\tonclick=hit()",
        "\\\" onclick=hit()",
        "&quot; onclick=&quot;hit()",
        "&#34; onclick=&#34;hit()",
        "\u{ff02} onclick=hit()",
        "red; background: url(javascript:hit())",
        "red}</style><script>hit()</script>",
        "expression(hit())",
        "url('javascript:hit()')",
        "red;behavior:url(x.htc)",
        "red;-moz-binding:url(x.xml#x)",
        "\\0065xpression(hit())",
        "red/*",
        "*/red",
        "red !important; x: y",
        "url(data:text/html,<script>hit()</script>)",
        "var(--x);}*{x:y",
        "{hit()}",
        "{{hit()}}",
        "${hit()}",
        "<%= hit() %>",
        "#{hit()}",
        "[[hit()]]",
        "<- hit()",
        "-> hit()",
        "<-> hit()",
        "constructor",
        "__proto__",
        "hit",
        "onerror",
        "script",
        "style",
        "iframe",
        "svg",
        "SCRIPT",
        "script ",
        "a:b",
        "<",
        "</",
        "<!",
        "<?xml?>",
        "&",
        "&lt;script&gt;hit()&lt;/script&gt;",
        "&#x3c;script&#x3e;hit()",
        "\u{202e}<script>hit()",
        "\u{0}<script>hit()</script>",
        "<\u{0}script>hit()</script>",
        "<scr\u{0}ipt>hit()</script>",
        "\u{feff}<script>hit()</script>",
        "\r<script>hit()</script>\n",
        "\u{1b}$B<script>hit()</script>",
        "+ADw-script+AD4-hit()+ADw-/script+AD4-",
        "%3Cscript%3Ehit()%3C/script%3E",
    ] {
        all.push(text.into());
    }
    all
}
