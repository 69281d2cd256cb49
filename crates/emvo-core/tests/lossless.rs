//! Whatever is read comes back: for any component tree, and for any bytes.

#![allow(clippy::unwrap_used, reason = "a test that cannot read its own data fails")]

use emvo_ical::calendar;
use emvo_ical::content::{Component, Item, Property, parse, push_component};
use proptest::prelude::*;

/// A component tree as text, with folds anywhere, and what it should be after
/// its line ends were evened out.
#[derive(Clone, Debug)]
struct Tree {
    name: String,
    lines: Vec<Line>,
    inner: Vec<Tree>,
}

/// A logical line and where it is folded, by character.
#[derive(Clone, Debug)]
struct Line {
    text: String,
    folds: Vec<usize>,
}

#[derive(Clone, Copy, Debug)]
enum Ending {
    Crlf,
    Lf,
}

impl Tree {
    fn write(&self, ending: Ending, out: &mut String) {
        let end = match ending {
            Ending::Crlf => "\r\n",
            Ending::Lf => "\n",
        };
        out.extend(["BEGIN:", &self.name, end]);
        for line in &self.lines {
            let mut octets = 0;
            for (at, char) in line.text.chars().enumerate() {
                if at > 0 && (line.folds.contains(&at) || octets + char.len_utf8() > 75) {
                    *out += end;
                    out.push(' ');
                    octets = 1;
                }
                out.push(char);
                octets += char.len_utf8();
            }
            *out += end;
        }
        for inner in &self.inner {
            inner.write(ending, out);
        }
        out.extend(["END:", &self.name, end]);
    }

    fn text(&self, ending: Ending) -> String {
        let mut out = String::new();
        self.write(ending, &mut out);
        out
    }
}

fn line() -> impl Strategy<Value = Line> {
    let text =
        "[A-Z][A-Z0-9-]{0,12}(;[A-Z-]{1,6}=([a-zåäö]{0,6}|\"[a-z:;, ]{0,9}\")){0,2}:[ -~åäö→€😀]{0,40}";
    (text, prop::collection::vec(1..60_usize, 0..3))
        .prop_filter("BEGIN and END are no properties", |(text, _): &(String, _)| {
            !text.starts_with("BEGIN:") && !text.starts_with("END:")
        })
        .prop_map(|(text, folds)| Line { text, folds })
}

fn tree() -> impl Strategy<Value = Tree> {
    let lines = || prop::collection::vec(line(), 0..6);
    let leaf = ("X-[A-Z]{1,6}", lines()).prop_map(|(name, lines)| Tree { name, lines, inner: Vec::new() });
    leaf.prop_recursive(3, 12, 3, move |inner| {
        ("X-[A-Z]{1,6}", prop::collection::vec(line(), 0..6), prop::collection::vec(inner, 0..3))
            .prop_map(|(name, lines, inner)| Tree { name, lines, inner })
    })
}

fn written(component: &Component<'_>) -> String {
    let mut out = Vec::new();
    push_component(&mut out, component);
    String::from_utf8(out).unwrap()
}

proptest! {
    #[test]
    fn any_tree_survives_byte_for_byte(tree in tree()) {
        let text = tree.text(Ending::Crlf);
        let parsed = parse(&text);
        prop_assert_eq!(&parsed.faults, &[]);
        prop_assert_eq!(written(&parsed.roots[0]), text);
    }

    #[test]
    fn other_line_ends_are_evened_out_and_nothing_else(tree in tree()) {
        let text = tree.text(Ending::Lf);
        let parsed = parse(&text);
        prop_assert_eq!(&parsed.faults, &[]);
        prop_assert_eq!(written(&parsed.roots[0]), tree.text(Ending::Crlf));
    }

    #[test]
    fn lines_that_are_too_long_are_folded_and_say_the_same(tree in tree()) {
        let text = tree.text(Ending::Crlf).replace("\r\n ", "");
        let parsed = parse(&text);
        prop_assert_eq!(&parsed.faults, &[]);
        let folded = written(&parsed.roots[0]);
        prop_assert!(folded.lines().all(|line| line.len() <= 75), "{}", folded);
        prop_assert!(parse(&folded).roots[0].says_the_same_as(&parsed.roots[0]));
    }

    #[test]
    fn a_changed_tree_differs_in_the_change_alone(tree in tree()) {
        let text = tree.text(Ending::Crlf);
        let mut component = parse(&text).roots.remove(0);
        component.items_mut().push(Item::Property(Property::new("X-ADDED", &[], "1")));
        let end = format!("END:{}\r\n", tree.name);
        let expected = format!("{}X-ADDED:1\r\n{end}", text.strip_suffix(&end).unwrap());
        prop_assert_eq!(written(&component), expected);
    }

    #[test]
    fn owned_trees_say_the_same(tree in tree()) {
        let text = tree.text(Ending::Crlf);
        let component = parse(&text).roots.remove(0);
        let owned = component.clone().into_owned();
        prop_assert!(component.says_the_same_as(&owned));
        prop_assert!(parse(&written(&owned)).roots[0].says_the_same_as(&component));
    }

    /// Nothing that was in the bytes is gone: it is in a component or a fault.
    #[test]
    fn any_lines_are_in_a_component_or_set_aside(lines in prop::collection::vec(
        "(BEGIN:(VCALENDAR|VEVENT|VALARM))|(END:(VCALENDAR|VEVENT|VALARM))|([A-Z]{1,3}:w[0-9]{1,5})|(w[0-9]{1,5})", 0..40,
    )) {
        let text = lines.join("\r\n") + "\r\n";
        let parsed = parse(&text);
        let mut kept: String = parsed.roots.iter().map(written).collect();
        for fault in &parsed.faults {
            kept += fault.text;
        }
        for line in lines.iter().filter(|line| line.contains('w')) {
            prop_assert!(kept.contains(line.as_str()), "{line} is nowhere in {kept}");
        }
    }

    #[test]
    fn any_bytes_are_read_without_a_panic(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
        let decoded = emvo_ical::content::decode(&bytes);
        for root in parse(&decoded.text).roots {
            let calendar = calendar::read(root, "any");
            let mut out = Vec::new();
            calendar::write(&calendar, &mut out);
        }
    }
}
