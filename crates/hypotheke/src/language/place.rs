use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::WORK;
use crate::id::StackId;
use crate::text::{Span, Word};

/// Where a path begins.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum PathRoot {
    /// `sled`, `surveyor`: a container or a holder.
    Name(Box<str>),
    /// `surveyor.pockets`: the container of a holder.
    Of(Box<str>, Box<str>),
    /// `ground`
    #[default]
    Ground,
    /// `#12`: the stack with that id, anywhere.
    Stack(StackId),
}

/// A step further in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PathStep {
    /// `/3`
    Slot(u32),
    /// `/head`
    NamedSlot(Box<str>),
    /// `@1,4`: row and column, both from 0.
    RowColumn(u32, u32),
    /// `/#12`: a stack on the ground.
    Stack(StackId),
    /// A `/` at the end: the inside of the pack there.
    Inside,
}

/// A place by name: `sled`, `sled/3`, `sled@1,4`, `harness/head`, `surveyor.pockets/0`,
/// `ground/#12`, `#12`.
///
/// ```
/// use hypotheke::{Path, PathStep};
///
/// let path: Path = "surveyor.pockets/2".parse()?;
/// assert_eq!(path.steps(), [PathStep::Slot(2)]);
/// assert_eq!(path.to_string(), "surveyor.pockets/2");
/// # Ok::<(), hypotheke::PathError>(())
/// ```
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Path {
    root: PathRoot,
    steps: Vec<PathStep>,
    span: Span,
    /// It begins with a group and means each of its members.
    of_each: bool,
}

impl PartialEq for Path {
    fn eq(&self, other: &Path) -> bool {
        self.root == other.root && self.steps == other.steps && self.of_each == other.of_each
    }
}

impl Eq for Path {}

/// Why a text is no [`Path`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum PathError {
    /// A name is missing.
    #[error("a name is missing in this place")]
    MissingName,
    /// Characters that no name has.
    #[error("a place has lower-case letters, digits, `-`, `.`, `/`, `@` and `#`")]
    BadName,
    /// A number that does not fit its type.
    #[error("this number is too large")]
    NumberTooLarge,
    /// `@` without a row and a column.
    #[error("a row and a column must follow `@`, such as `@1,4`")]
    BadRowColumn,
    /// More steps than anything nests.
    #[error("this place has too many steps")]
    TooDeep,
}

impl Path {
    const MAX_STEPS: usize = 64;

    pub(crate) fn parse(text: &str, span: Span) -> Result<Path, PathError> {
        let head_length = text.find(['/', '@']).unwrap_or(text.len());
        let (head, mut rest) = text.split_at(head_length);
        let mut steps = Vec::new();
        while !rest.is_empty() {
            if steps.len() == Self::MAX_STEPS {
                return Err(PathError::TooDeep);
            }
            let (mark, after) = rest.split_at(1);
            let length = after.find(['/', '@']).unwrap_or(after.len());
            let (part, next) = after.split_at(length);
            steps.push(if mark == "@" { row_column(part)? } else { step(part, next.is_empty())? });
            rest = next;
        }
        Ok(Path { root: root(head)?, steps, span, of_each: false })
    }

    /// A path of one name.
    #[must_use]
    pub fn named(name: &str) -> Path {
        Path { root: PathRoot::Name(name.into()), ..Path::default() }
    }

    /// A slot of a container by its name, such as `sled` or `surveyor.pockets`.
    pub(crate) fn slot_of(container: &str, slot: u32) -> Path {
        let root = match container.split_once('.') {
            Some((holder, own)) => PathRoot::Of(holder.into(), own.into()),
            None => PathRoot::Name(container.into()),
        };
        Path { root, steps: vec![PathStep::Slot(slot)], ..Path::default() }
    }

    /// The stack with an id, in any place.
    pub(crate) fn of_stack(stack: StackId) -> Path {
        Path { root: PathRoot::Stack(stack), ..Path::default() }
    }

    /// A slot inside of the pack with an id.
    pub(crate) fn inside_of(pack: StackId, slot: u32) -> Path {
        Path { root: PathRoot::Stack(pack), steps: vec![PathStep::Slot(slot)], ..Path::default() }
    }

    /// The same place of each member of the group with which it begins.
    pub(crate) fn of_each(self) -> Path {
        Path { of_each: true, ..self }
    }

    /// The group with which it begins, if it means a place of each member.
    #[must_use]
    pub fn group(&self) -> Option<&str> {
        match &self.root {
            PathRoot::Name(name) | PathRoot::Of(name, _) if self.of_each => Some(name),
            _ => None,
        }
    }

    /// The place of one member of its group.
    pub(crate) fn of_member(&self, holder: &str) -> Path {
        let root = match &self.root {
            PathRoot::Name(_) if self.of_each => PathRoot::Name(holder.into()),
            PathRoot::Of(_, own) if self.of_each => PathRoot::Of(holder.into(), own.clone()),
            root => root.clone(),
        };
        Path { root, of_each: false, ..self.clone() }
    }

    /// Where the path begins.
    #[must_use]
    pub fn root(&self) -> &PathRoot {
        &self.root
    }

    /// The steps further in.
    #[must_use]
    pub fn steps(&self) -> &[PathStep] {
        &self.steps
    }

    /// Whether the world at the moment decides where it leads: it names a stack, or leads into a
    /// pack.
    #[must_use]
    pub fn depends_on_stacks(&self) -> bool {
        self.names_an_id() || self.steps.len() > self.lasting_steps()
    }

    /// Whether the path names a stack by its id.
    pub(crate) fn names_an_id(&self) -> bool {
        let by_id = |step: &PathStep| matches!(step, PathStep::Stack(_));
        matches!(self.root, PathRoot::Stack(_)) || self.steps.iter().any(by_id)
    }

    /// The number of steps that lead to the same place in every world: one to a slot of a
    /// container, none from a hand.
    fn lasting_steps(&self) -> usize {
        let hand = match &self.root {
            PathRoot::Name(name) | PathRoot::Of(_, name) => &**name == "hand",
            PathRoot::Ground | PathRoot::Stack(_) => false,
        };
        usize::from(!hand)
    }

    /// The part of it that leads to the same place in every world: no further than to a slot of the
    /// first container.
    pub(crate) fn lasting_part(&self) -> Option<Path> {
        let by_id = self.steps.first().is_some_and(|step| matches!(step, PathStep::Stack(_)));
        let lasting = !by_id && !matches!(self.root, PathRoot::Stack(_));
        lasting.then(|| Path {
            root: self.root.clone(),
            steps: self.steps.iter().take(self.lasting_steps()).cloned().collect(),
            span: self.span,
            of_each: self.of_each,
        })
    }

    /// The container, if the path is that of what a container works on; else the same path.
    pub(crate) fn without_work(&self) -> Path {
        let is_work = |step: &PathStep| matches!(step, PathStep::NamedSlot(name) if **name == *WORK);
        let steps = self.steps.split_last().filter(|(last, _)| is_work(last)).map(|(_, steps)| steps.to_vec());
        Path { steps: steps.unwrap_or_else(|| self.steps.clone()), ..self.clone() }
    }

    /// Its place in the source text.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }
}

fn root(text: &str) -> Result<PathRoot, PathError> {
    if text.starts_with('#') {
        return text.parse().map(PathRoot::Stack);
    }
    match text.split_once('.') {
        Some((holder, container)) => Ok(PathRoot::Of(name(holder)?, name(container)?)),
        None if text == "ground" => Ok(PathRoot::Ground),
        None => Ok(PathRoot::Name(name(text)?)),
    }
}

fn name(text: &str) -> Result<Box<str>, PathError> {
    let lawful = |b: u8| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-';
    match text {
        "" => Err(PathError::MissingName),
        _ if text.bytes().all(lawful) => Ok(text.into()),
        _ => Err(PathError::BadName),
    }
}

fn step(text: &str, last: bool) -> Result<PathStep, PathError> {
    match text.bytes().next() {
        None if last => Ok(PathStep::Inside),
        None => Err(PathError::MissingName),
        Some(b'#') => text.parse().map(PathStep::Stack),
        Some(_) if text.bytes().all(|b| b.is_ascii_digit()) => number(text).map(PathStep::Slot),
        Some(_) => name(text).map(PathStep::NamedSlot),
    }
}

fn row_column(text: &str) -> Result<PathStep, PathError> {
    let (row, column) = text.split_once(',').ok_or(PathError::BadRowColumn)?;
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    if !digits(row) || !digits(column) {
        return Err(PathError::BadRowColumn);
    }
    Ok(PathStep::RowColumn(number(row)?, number(column)?))
}

fn number<T: FromStr>(text: &str) -> Result<T, PathError> {
    text.parse().map_err(|_| PathError::NumberTooLarge)
}

impl FromStr for StackId {
    type Err = PathError;

    fn from_str(text: &str) -> Result<StackId, PathError> {
        let digits = text.strip_prefix('#').ok_or(PathError::BadName)?;
        let (world, serial) = digits.split_once(':').unwrap_or(("0", digits));
        if !world.bytes().chain(serial.bytes()).all(|b| b.is_ascii_digit()) || serial.is_empty() || world.is_empty() {
            return Err(PathError::BadName);
        }
        let (world, serial) = (number::<u32>(world)?, number::<u64>(serial)?);
        let id = StackId::new(world, serial);
        if id.world() == world && id.serial() == serial { Ok(id) } else { Err(PathError::NumberTooLarge) }
    }
}

impl FromStr for Path {
    type Err = PathError;

    fn from_str(text: &str) -> Result<Path, PathError> {
        Path::parse(text, Span::new(0, text.len()))
    }
}

impl TryFrom<String> for Path {
    type Error = PathError;

    fn try_from(text: String) -> Result<Path, PathError> {
        text.parse()
    }
}

impl From<Path> for String {
    fn from(path: Path) -> String {
        path.to_string()
    }
}

impl TryFrom<&Word> for Path {
    type Error = PathError;

    fn try_from(word: &Word) -> Result<Path, PathError> {
        Path::parse(word.as_str(), word.span())
    }
}

impl fmt::Display for Path {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.of_each {
            f.write_str("each ")?;
        }
        match &self.root {
            PathRoot::Name(name) => f.write_str(name)?,
            PathRoot::Of(holder, container) => write!(f, "{holder}.{container}")?,
            PathRoot::Ground => f.write_str("ground")?,
            PathRoot::Stack(id) => write!(f, "{id}")?,
        }
        for step in &self.steps {
            match step {
                PathStep::Slot(slot) => write!(f, "/{slot}")?,
                PathStep::NamedSlot(name) => write!(f, "/{name}")?,
                PathStep::RowColumn(row, column) => write!(f, "@{row},{column}")?,
                PathStep::Stack(id) => write!(f, "/{id}")?,
                PathStep::Inside => f.write_str("/")?,
            }
        }
        Ok(())
    }
}
