//! A component: its properties and inner components in order, with the text
//! it came from.

use std::borrow::Cow;

use super::names::Names;
use super::property::Property;

/// One `BEGIN:…` to `END:…`, in the order of the source.
#[derive(Clone, Debug)]
pub struct Component<'a> {
    name: Cow<'a, str>,
    items: Vec<Item<'a>>,
    /// The names of its own properties.
    names: Names,
    line: u32,
    /// The text from `BEGIN` through the line end behind `END`, if it was read.
    origin: Option<&'a str>,
    state: State,
}

/// How a component stands to the text it was read from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum State {
    /// Nothing was changed, and the text can be copied as it is.
    AsRead,
    /// It was changed or made here, or a part of the text was left out.
    Own,
}

/// What stands between `BEGIN` and `END`.
#[derive(Clone, Debug)]
pub enum Item<'a> {
    /// A property.
    Property(Property<'a>),
    /// A component inside this one, such as an alarm in an event.
    Component(Box<Component<'a>>),
}

/// The items of a component, open to any change. The component counts as
/// changed from here on.
pub type ItemsMut<'c, 'a> = &'c mut Vec<Item<'a>>;

impl<'a> Component<'a> {
    /// An empty component, made here.
    pub fn new(name: impl Into<Cow<'a, str>>) -> Self {
        Self {
            name: name.into(),
            items: Vec::new(),
            names: Names::default(),
            line: 0,
            origin: None,
            state: State::Own,
        }
    }

    /// An empty component with capacity for this number of properties.
    pub fn with_capacity(name: &'static str, capacity: usize) -> Self {
        let items = Vec::with_capacity(capacity);
        Self {
            name: Cow::Borrowed(name),
            items,
            names: Names::default(),
            line: 0,
            origin: None,
            state: State::Own,
        }
    }

    /// Adds a property at the very end, behind inner components if there are
    /// any.
    pub fn push(&mut self, property: Property<'a>) {
        self.state = State::Own;
        self.names.insert(property.name());
        self.items.push(Item::Property(property));
    }

    /// Puts a property in front of everything.
    pub fn put_first(&mut self, property: Property<'a>) {
        self.state = State::Own;
        self.names.insert(property.name());
        self.items.insert(0, Item::Property(property));
    }

    /// This component, made of one that began at this line.
    #[must_use]
    pub(crate) fn at_line(self, line: u32) -> Self {
        Self { line, ..self }
    }

    /// A component as it was read.
    pub(super) fn read(name: Cow<'a, str>, items: Vec<Item<'a>>, names: Names, line: u32) -> Self {
        Self { name, items, names, line, origin: None, state: State::Own }
    }

    /// This component, and the text that it was read from, which it says in full.
    #[must_use]
    pub(super) fn copied_from(self, text: &'a str) -> Self {
        Self { origin: Some(text), state: State::AsRead, ..self }
    }

    /// This component, and the text that it was read from, a part of which was left
    /// out.
    #[must_use]
    pub(super) fn read_from(self, text: &'a str) -> Self {
        Self { origin: Some(text), ..self }
    }

    /// The names of its own properties.
    pub(super) fn names(&self) -> Names {
        self.names
    }

    /// The name as written, such as `VEVENT`.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Whether the component has this name, without regard to case.
    pub fn is(&self, name: &str) -> bool {
        self.name.eq_ignore_ascii_case(name)
    }

    /// The line of `BEGIN` in the source, counted from 1; 0 if made here.
    pub fn line(&self) -> u32 {
        self.line
    }

    /// The original text, if the component is untouched and can be copied.
    pub fn source(&self) -> Option<&'a str> {
        self.origin.filter(|_| self.state == State::AsRead)
    }

    /// The text that it was read from, whatever was changed since; `None` if it was
    /// made here.
    pub fn origin(&self) -> Option<&'a str> {
        self.origin
    }

    /// Everything inside, in order.
    pub fn items(&self) -> &[Item<'a>] {
        &self.items
    }

    /// Everything inside, to be changed.
    pub fn items_mut(&mut self) -> ItemsMut<'_, 'a> {
        self.state = State::Own;
        self.names = Names::UNKNOWN;
        &mut self.items
    }

    /// Takes the component apart.
    pub fn into_items(self) -> Vec<Item<'a>> {
        self.items
    }

    /// How many things it says: its properties, its inner components, and what those
    /// say.
    pub fn statements(&self) -> usize {
        self.items.len() + self.components().map(Component::statements).sum::<usize>()
    }

    /// The properties in order.
    pub fn properties(&self) -> impl Iterator<Item = &Property<'a>> {
        self.items.iter().filter_map(|item| match item {
            Item::Property(property) => Some(property),
            Item::Component(_) => None,
        })
    }

    /// The inner components in order.
    pub fn components(&self) -> impl Iterator<Item = &Component<'a>> {
        self.items.iter().filter_map(|item| match item {
            Item::Property(_) => None,
            Item::Component(component) => Some(&**component),
        })
    }

    /// The first property of this name.
    #[inline]
    pub fn property(&self, name: &str) -> Option<&Property<'a>> {
        if self.names.may_hold(name) { self.first_named(name) } else { None }
    }

    fn first_named(&self, name: &str) -> Option<&Property<'a>> {
        self.properties().find(|property| property.is(name))
    }

    /// All properties of this name, in order.
    #[inline]
    pub fn properties_named(&self, name: &str) -> impl Iterator<Item = &Property<'a>> {
        let items = if self.names.may_hold(name) { self.items.as_slice() } else { &[] };
        items.iter().filter_map(move |item| match item {
            Item::Property(property) if property.is(name) => Some(property),
            Item::Property(_) | Item::Component(_) => None,
        })
    }

    /// Whether two of its properties may have the same name; `false` is certain.
    pub fn may_repeat_a_name(&self) -> bool {
        if !self.names.may_repeat_one() {
            return false;
        }
        let mut names = Names::default();
        for property in self.properties() {
            names.insert(property.name());
        }
        names.may_repeat_one()
    }

    /// Whether it has a property of this name.
    #[inline]
    pub fn has(&self, name: &str) -> bool {
        self.property(name).is_some()
    }

    /// The text of the first property of this name, as people read it.
    pub fn text(&self, name: &str) -> Option<Cow<'_, str>> {
        self.property(name).map(Property::text)
    }

    /// Puts a property in the place of the first of its name, and takes out
    /// any further ones. Without one of its name it goes behind the last
    /// property, in front of the inner components.
    pub fn set(&mut self, property: Property<'a>) {
        let at = self.position(property.name());
        match at {
            Some(at) => {
                self.retain_properties(|index, other| index <= at || !other.is(property.name()));
                self.names.insert(property.name());
                self.items[at] = Item::Property(property);
            }
            None => self.add(property),
        }
    }

    /// Adds a property behind the last one, in front of the inner components.
    pub fn add(&mut self, property: Property<'a>) {
        let behind = self.items.iter().rposition(|item| matches!(item, Item::Property(_)));
        self.state = State::Own;
        self.names.insert(property.name());
        self.items.insert(behind.map_or(0, |at| at + 1), Item::Property(property));
    }

    /// Takes out all properties of this name; how many there were.
    pub fn remove(&mut self, name: &str) -> usize {
        if self.position(name).is_none() {
            return 0;
        }
        let before = self.items.len();
        self.retain_properties(|_, property| !property.is(name));
        before - self.items.len()
    }

    /// Keeps the properties for which `keep`, given index and property, holds.
    fn retain_properties(&mut self, keep: impl Fn(usize, &Property<'a>) -> bool) {
        let mut index = 0;
        self.state = State::Own;
        // The names stay: they may claim too much.
        self.items.retain(|item| {
            let is_kept = match item {
                Item::Property(property) => keep(index, property),
                Item::Component(_) => true,
            };
            index += 1;
            is_kept
        });
    }

    fn position(&self, name: &str) -> Option<usize> {
        self.items.iter().position(|item| match item {
            Item::Property(property) => property.is(name),
            Item::Component(_) => false,
        })
    }

    /// Puts an inner component at the end.
    pub fn add_component(&mut self, component: Component<'a>) {
        self.state = State::Own;
        self.items.push(Item::Component(Box::new(component)));
    }

    /// The component without ties to the source's buffer. It will be written
    /// with its logical lines, folded anew.
    pub fn into_owned(self) -> Component<'static> {
        let items = self.items.into_iter().map(|item| match item {
            Item::Property(property) => Item::Property(property.into_owned()),
            Item::Component(component) => Item::Component(Box::new(component.into_owned())),
        });
        Component {
            name: Cow::Owned(self.name.into_owned()),
            items: items.collect(),
            names: self.names,
            line: self.line,
            origin: None,
            state: State::Own,
        }
    }

    /// Whether two components say the same: same lines in the same order,
    /// however they were folded.
    pub fn says_the_same_as(&self, other: &Component<'_>) -> bool {
        if let (Some(one), Some(two)) = (self.source(), other.source())
            && one == two
        {
            return true;
        }
        self.is(&other.name)
            && self.items.len() == other.items.len()
            && self.items.iter().zip(&other.items).all(|pair| match pair {
                (Item::Property(one), Item::Property(two)) => one.logical() == two.logical(),
                (Item::Component(one), Item::Component(two)) => one.says_the_same_as(two),
                (Item::Property(_), Item::Component(_)) | (Item::Component(_), Item::Property(_)) => false,
            })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::content::parse;

    const EVENT: &str = "BEGIN:VEVENT\r\nUID:1\r\nX-A:1\r\nX-B:2\r\nx-a:3\r\n\
        BEGIN:VALARM\r\nX-A:4\r\nEND:VALARM\r\nEND:VEVENT\r\n";

    fn event() -> Component<'static> {
        parse(EVENT).roots.remove(0)
    }

    fn written(component: &Component<'_>) -> String {
        let mut out = Vec::new();
        super::super::push_component(&mut out, component);
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn setting_replaces_the_first_and_drops_the_rest() {
        let mut event = event();
        event.set(Property::new("X-A", &[], "new"));
        event.set(Property::new("X-C", &[], "5"));
        assert_eq!(
            written(&event),
            "BEGIN:VEVENT\r\nUID:1\r\nX-A:new\r\nX-B:2\r\nX-C:5\r\n\
             BEGIN:VALARM\r\nX-A:4\r\nEND:VALARM\r\nEND:VEVENT\r\n"
        );
    }

    #[test]
    fn removing_counts_and_spares_inner_components() {
        let mut event = event();
        assert_eq!(event.remove("X-NONE"), 0);
        assert!(event.source().is_some(), "nothing was removed, so nothing changed");
        assert_eq!(event.remove("x-A"), 2);
        assert_eq!(written(&event).matches("X-A").count(), 1);
    }

    #[test]
    fn folding_makes_no_difference_to_what_is_said() {
        let folded = EVENT.replace("UID:1", "UI\r\n D:1");
        let other = parse(&folded).roots.remove(0);
        assert!(event().says_the_same_as(&other));
        let changed = EVENT.replace("X-A:4", "X-A:5");
        assert!(!event().says_the_same_as(&parse(&changed).roots[0]));
    }
}
