//! The standard members and functions that expressions may use: one table for the checker,
//! the evaluator and the documentation.

/// What a member is called on.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Receiver {
    /// `String.prototype`.
    String,
    /// `Number.prototype`.
    Number,
    /// `Array.prototype`.
    List,
    /// The namespace object `Math`.
    Math,
    /// The namespace object `JSON`.
    Json,
    /// The namespace `Local`: formatting for people, in the page's locale and time zone.
    Local,
    /// A global function.
    Global,
    /// The constructor `Number`, for what stands on it.
    Numbers,
    /// The constructor `Date`, for what stands on it.
    Date,
    /// A dictionary, as the first argument of what stands on the constructor `Object`.
    Dictionary,
    /// Nothing that an expression can name: what the checker says of positions in texts, and puts around data on its way into CSS.
    Unnamed,
}

/// What an argument must be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Param {
    /// A number.
    Number,
    /// A string.
    String,
    /// An item of the list.
    Item,
    /// A list of the same kind.
    SameList,
    /// A list of strings.
    Strings,
    /// Any value.
    Any,
    /// `(item, index) => any`, taken as truthy or falsy.
    Predicate,
    /// `(item, index) => U`.
    Mapper,
    /// `(item, index) => U[]`.
    ListMapper,
    /// `(a, b) => number`.
    Comparator,
    /// `(accumulated, item, index) => accumulated`.
    Reducer,
    /// What a reduction starts from.
    Initial,
}

/// What a member gives.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Returns {
    /// `string`
    String,
    /// `string?`
    MaybeString,
    /// `string[]`
    Strings,
    /// `number`
    Number,
    /// `number?`
    MaybeNumber,
    /// `boolean`
    Boolean,
    /// The receiver's own type.
    SameList,
    /// An item or `null`.
    MaybeItem,
    /// A list of what the function gives.
    Mapped,
    /// The lists that the function gives, one after the other.
    FlatMapped,
    /// The lists in the list, one after the other.
    Flattened,
    /// What the reduction started from.
    Accumulated,
    /// `string?[]?`: what a regular expression has found, and its groups.
    Found,
    /// `string[]?`: all that it has found.
    FoundAll,
    /// `string?[]`: what stands between what it has found, and its groups.
    Pieces,
    /// A list of what stands in the dictionary.
    Values,
    /// A list of the dictionary's entries.
    Entries,
    /// A dictionary of lists of the list's kind.
    Groups,
}

/// One row of the table.
#[derive(Clone, Copy, Debug)]
pub struct MemberInfo {
    /// Which member this is.
    pub member: Member,
    /// What it is called on.
    pub on: Receiver,
    /// Its standard name.
    pub name: &'static str,
    /// Whether it is read and not called, as `length` is.
    pub property: bool,
    /// Its parameters.
    pub params: &'static [Param],
    /// How many of them must be given.
    pub required: usize,
    /// Whether the last parameter may be given any number of times.
    pub rest: bool,
    /// What it gives.
    pub returns: Returns,
}

macro_rules! members {
    ($($on:ident $name:literal $member:ident $kind:ident [$($param:ident),*] $required:literal $returns:ident;)*) => {
        /// A standard member or function.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
        #[allow(missing_docs, reason = "each is what the standard says of its name in the table")]
        pub enum Member { $($member),* }

        /// Every member, in the order of the documentation.
        pub const MEMBERS: &[MemberInfo] = &[$(MemberInfo {
            member: Member::$member,
            on: Receiver::$on,
            name: $name,
            property: members!(@property $kind),
            params: &[$(Param::$param),*],
            required: $required,
            rest: members!(@rest $kind),
            returns: Returns::$returns,
        }),*];
    };
    (@property property) => { true };
    (@property $other:ident) => { false };
    (@rest rest) => { true };
    (@rest $other:ident) => { false };
}

members! {
    String "length" StringLength property [] 0 Number;
    String "at" StringAt method [Number] 1 MaybeString;
    String "trim" Trim method [] 0 String;
    String "trimStart" TrimStart method [] 0 String;
    String "trimEnd" TrimEnd method [] 0 String;
    String "toUpperCase" ToUpperCase method [] 0 String;
    String "toLowerCase" ToLowerCase method [] 0 String;
    String "includes" StringIncludes method [String, Number] 1 Boolean;
    String "startsWith" StartsWith method [String, Number] 1 Boolean;
    String "endsWith" EndsWith method [String, Number] 1 Boolean;
    String "indexOf" StringIndexOf method [String, Number] 1 Number;
    String "lastIndexOf" StringLastIndexOf method [String, Number] 1 Number;
    String "codePointAt" CodePointAt method [Number] 1 MaybeNumber;
    String "slice" StringSlice method [Number, Number] 0 String;
    String "split" Split method [String, Number] 1 Strings;
    String "repeat" Repeat method [Number] 1 String;
    String "padStart" PadStart method [Number, String] 1 String;
    String "padEnd" PadEnd method [Number, String] 1 String;
    String "localeCompare" LocaleCompare method [String] 1 Number;
    String "replaceAll" ReplaceAll method [String, String] 2 String;
    Number "toFixed" ToFixed method [Number] 0 String;
    Number "toString" NumberToString method [Number] 0 String;
    List "length" ListLength property [] 0 Number;
    List "at" ListAt method [Number] 1 MaybeItem;
    List "filter" Filter method [Predicate] 1 SameList;
    List "map" Map method [Mapper] 1 Mapped;
    List "find" Find method [Predicate] 1 MaybeItem;
    List "findIndex" FindIndex method [Predicate] 1 Number;
    List "findLast" FindLast method [Predicate] 1 MaybeItem;
    List "findLastIndex" FindLastIndex method [Predicate] 1 Number;
    List "some" Some method [Predicate] 1 Boolean;
    List "every" Every method [Predicate] 1 Boolean;
    List "includes" ListIncludes method [Item, Number] 1 Boolean;
    List "indexOf" ListIndexOf method [Item, Number] 1 Number;
    List "lastIndexOf" ListLastIndexOf method [Item, Number] 1 Number;
    List "slice" ListSlice method [Number, Number] 0 SameList;
    List "concat" Concat rest [SameList] 0 SameList;
    List "join" Join method [String] 0 String;
    List "reduce" Reduce method [Reducer, Initial] 2 Accumulated;
    List "flatMap" FlatMap method [ListMapper] 1 FlatMapped;
    List "flat" Flat method [] 0 Flattened;
    List "toSorted" ToSorted method [Comparator] 0 SameList;
    List "toReversed" ToReversed method [] 0 SameList;
    List "toSpliced" ToSpliced rest [Number, Number, Item] 1 SameList;
    List "with" With method [Number, Item] 2 SameList;
    Math "abs" Abs method [Number] 1 Number;
    Math "acos" Acos method [Number] 1 Number;
    Math "asin" Asin method [Number] 1 Number;
    Math "atan" Atan method [Number] 1 Number;
    Math "atan2" Atan2 method [Number, Number] 2 Number;
    Math "cbrt" Cbrt method [Number] 1 Number;
    Math "ceil" Ceil method [Number] 1 Number;
    Math "cos" Cos method [Number] 1 Number;
    Math "cosh" Cosh method [Number] 1 Number;
    Math "exp" Exp method [Number] 1 Number;
    Math "expm1" Expm1 method [Number] 1 Number;
    Math "floor" Floor method [Number] 1 Number;
    Math "fround" Fround method [Number] 1 Number;
    Math "hypot" Hypot rest [Number] 0 Number;
    Math "log" Log method [Number] 1 Number;
    Math "log10" Log10 method [Number] 1 Number;
    Math "log1p" Log1p method [Number] 1 Number;
    Math "log2" Log2 method [Number] 1 Number;
    Math "max" Max rest [Number] 0 Number;
    Math "min" Min rest [Number] 0 Number;
    Math "pow" Pow method [Number, Number] 2 Number;
    Math "round" Round method [Number] 1 Number;
    Math "sign" Sign method [Number] 1 Number;
    Math "sin" Sin method [Number] 1 Number;
    Math "sinh" Sinh method [Number] 1 Number;
    Math "sqrt" Sqrt method [Number] 1 Number;
    Math "tan" Tan method [Number] 1 Number;
    Math "tanh" Tanh method [Number] 1 Number;
    Math "trunc" Trunc method [Number] 1 Number;
    Math "random" Random method [] 0 Number;
    Math "E" E property [] 0 Number;
    Math "LN10" Ln10 property [] 0 Number;
    Math "LN2" Ln2 property [] 0 Number;
    Math "LOG10E" Log10E property [] 0 Number;
    Math "LOG2E" Log2E property [] 0 Number;
    Math "PI" Pi property [] 0 Number;
    Math "SQRT1_2" SqrtHalf property [] 0 Number;
    Math "SQRT2" Sqrt2 property [] 0 Number;
    Json "stringify" Stringify method [Any] 1 String;
    Local "number" LocalNumber method [Number, Number, Number] 1 String;
    Local "percent" LocalPercent method [Number, Number] 1 String;
    Local "money" LocalMoney method [Number, String] 2 String;
    Local "measure" LocalMeasure method [Number, String] 2 String;
    Local "date" LocalDate method [Number, String] 1 String;
    Local "time" LocalTime method [Number, String] 1 String;
    Local "dateTime" LocalDateTime method [Number, String] 1 String;
    Local "ago" LocalAgo method [Number, String] 2 String;
    Local "plural" LocalPlural method [Number] 1 String;
    Local "list" LocalList method [Strings, String] 1 String;
    Global "Number" ToNumber method [Any] 1 Number;
    Global "String" ToText method [Any] 1 String;
    Global "Boolean" ToBoolean method [Any] 1 Boolean;
    Global "parseFloat" ParseFloat method [String] 1 Number;
    Global "parseInt" ParseInt method [String, Number] 1 Number;
    Numbers "isFinite" IsFinite method [Number] 1 Boolean;
    Numbers "isInteger" IsInteger method [Number] 1 Boolean;
    Numbers "isNaN" IsNan method [Number] 1 Boolean;
    Date "now" Now method [] 0 Number;
    Dictionary "keys" Keys method [] 0 Strings;
    Dictionary "values" Values method [] 0 Values;
    Dictionary "entries" Entries method [] 0 Entries;
    Unnamed "test" PatternTest method [String, String] 2 Boolean;
    Unnamed "search" PatternSearch method [String, String] 2 Number;
    Unnamed "match" PatternFirst method [String, String] 2 Found;
    Unnamed "match" PatternAll method [String, String] 2 FoundAll;
    Unnamed "replace" PatternReplace method [String, String, String] 3 String;
    Unnamed "replaceAll" PatternReplaceAll method [String, String, String] 3 String;
    Unnamed "split" PatternSplit method [String, String, Number] 2 Pieces;
    Unnamed "has" HasKey method [String] 1 Boolean;
    Unnamed "groupBy" GroupBy method [Mapper] 1 Groups;
    Unnamed "index" StringIndex method [Number] 1 MaybeString;
    Unnamed "from" OfLength method [Number] 1 SameList;
    Unnamed "id" OwnId method [String] 1 String;
    Unnamed "declarations" CssDeclarations method [Any] 1 MaybeString;
    Unnamed "piece" CssPiece method [Any] 1 String;
}

/// Finds a member by what it is called on and its name.
///
/// ```
/// use vein_plan::members::{find, Receiver};
/// assert!(find(Receiver::List, "toSorted").is_some());
/// assert!(find(Receiver::String, "toSorted").is_none());
/// ```
pub fn find(on: Receiver, name: &str) -> Option<&'static MemberInfo> {
    MEMBERS.iter().find(|info| info.on == on && info.name == name)
}

impl Member {
    /// The member's row in the table.
    pub fn info(self) -> &'static MemberInfo {
        &MEMBERS[self as usize]
    }

    /// Whether it gives something else each time, so that only statements may ask for it.
    pub fn is_of_the_moment(self) -> bool {
        matches!(self, Member::Now | Member::Random)
    }

    /// Whether its first two arguments are a regular expression and its flags.
    pub fn takes_pattern(self) -> bool {
        use Member::*;
        matches!(
            self,
            PatternTest
                | PatternSearch
                | PatternFirst
                | PatternAll
                | PatternReplace
                | PatternReplaceAll
                | PatternSplit
        )
    }

    /// Whether its first argument is a function, so that the evaluator walks the list itself.
    pub fn takes_function(self) -> bool {
        matches!(
            self.info().params.first(),
            Some(Param::Predicate | Param::Mapper | Param::ListMapper | Param::Reducer)
        ) || self == Member::ToSorted
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_in_the_order_of_the_members() {
        for (i, info) in MEMBERS.iter().enumerate() {
            assert_eq!(info.member as usize, i);
            assert!(info.required <= info.params.len());
            let found = find(info.on, info.name).expect("found by name");
            let is_first = found.member == info.member || info.on == Receiver::Unnamed;
            assert!(is_first, "{} is listed twice", info.name);
        }
    }
}
