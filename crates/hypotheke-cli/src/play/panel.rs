//! What is on the screen: containers with their slots, hands and the ground, side by side.

use hypotheke::{ContainerId, HolderId, Place, StackId, StackView, World};

use crate::render::container::{described, label, usage};
use crate::render::width;

/// The columns and lines of a cell, with its gap.
pub(super) const CELL: usize = 16;
pub(super) const CELL_LINES: usize = 2;
/// The columns between two panels.
const GAP: usize = 2;

/// Something with cells.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Panel {
    Container(ContainerId),
    Hand(HolderId),
    Ground,
}

/// A cell: a slot, a hand, or a stack on the ground.
#[derive(Clone, Debug)]
pub(super) struct Cell {
    pub(super) place: Place,
    /// The slot or the id.
    pub(super) label: String,
    /// The kind, or why it has none.
    pub(super) kind: String,
    pub(super) count: String,
    pub(super) is_taken: bool,
}

impl Panel {
    /// All panels of a world: containers with the insides of packs after them, hands, the ground.
    pub(super) fn all(world: &World) -> Vec<Panel> {
        let mut panels = Vec::new();
        let carried = world.holders().flat_map(|holder| world.carried(holder).collect::<Vec<_>>());
        let standing = world.containers().filter(|&id| world.stands(id));
        let mut rest: Vec<ContainerId> = standing.chain(carried).collect();
        rest.reverse();
        while let Some(id) = rest.pop() {
            panels.push(Panel::Container(id));
            let insides: Vec<ContainerId> = world.stacks(id).filter_map(|(_, stack)| stack.inside()).collect();
            rest.extend(insides.into_iter().rev());
        }
        panels.extend(world.holders().filter(|&holder| world.hand(holder).is_some()).map(Panel::Hand));
        panels.push(Panel::Ground);
        panels
    }

    pub(super) fn name(self, world: &World) -> String {
        match self {
            Panel::Container(id) => world.container_name(id),
            Panel::Hand(holder) => format!("hand of {}", world.holder_name(holder)),
            Panel::Ground => "ground".to_owned(),
        }
    }

    pub(super) fn usage(self, world: &World) -> String {
        match self {
            Panel::Container(id) => world.container_def(id).map_or_else(String::new, |def| usage(world, id, def)),
            Panel::Hand(_) => String::new(),
            Panel::Ground => world.rules().weight_text(world.ground_weight()),
        }
    }

    /// The number of its cells; the ground has one more, to put something down.
    pub(super) fn cells(self, world: &World) -> usize {
        match self {
            Panel::Container(id) => world.slots(id).len(),
            Panel::Hand(_) => 1,
            Panel::Ground => world.ground().count() + 1,
        }
    }

    /// The columns of cells, if the room has as many.
    fn columns(self, world: &World, room: usize) -> usize {
        let wanted = match self {
            Panel::Container(id) => world.container_def(id).map_or(1, |def| def.columns() as usize),
            Panel::Hand(_) => 1,
            Panel::Ground => 4,
        };
        wanted.min(self.cells(world)).min(room / CELL).max(1)
    }

    pub(super) fn cell(self, world: &World, nth: usize) -> Option<Cell> {
        let of_stack = |place, label: String, stack: StackView<'_>, count: String| {
            let flag = if described(stack).contains(" (") { "*" } else { "" };
            Cell { place, label, kind: format!("{}{flag}", stack.kind().id()), count, is_taken: true }
        };
        match self {
            Panel::Container(id) => {
                let slot = world.slots(id).nth(nth)?;
                let place = Place::Slot(id, slot.number());
                Some(match slot.stack() {
                    Some(stack) => {
                        let unfit = if slot.is_unfit() { " unfit" } else { "" };
                        let count = format!("{} of {}{unfit}", stack.count(), slot.limit(stack.kind().handle()));
                        of_stack(place, label(slot), stack, count)
                    }
                    None => {
                        let kind = if slot.blocked_by().is_some() { "blocked" } else { "·" };
                        Cell { place, label: label(slot), kind: kind.to_owned(), count: String::new(), is_taken: false }
                    }
                })
            }
            Panel::Hand(holder) => {
                let stack = world.hand(holder)?;
                Some(of_stack(Place::Hand(holder), String::new(), stack, stack.count().to_string()))
            }
            Panel::Ground => match world.ground().nth(nth) {
                Some((stack, _)) => {
                    let id: StackId = stack.id();
                    Some(of_stack(Place::OnGround(id), id.to_string(), stack, stack.count().to_string()))
                }
                None => Some(Cell {
                    place: Place::Ground,
                    label: String::new(),
                    kind: "·".to_owned(),
                    count: String::new(),
                    is_taken: false,
                }),
            },
        }
    }
}

/// Where a panel is, on a page that is as long as it has to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Area {
    pub(super) left: usize,
    pub(super) top: usize,
    pub(super) width: usize,
    pub(super) height: usize,
    /// The cells in one row.
    pub(super) columns: usize,
}

impl Area {
    /// The left column and the first line of a cell.
    pub(super) fn cell(&self, nth: usize) -> (usize, usize) {
        (self.left + nth % self.columns * CELL, self.top + 1 + nth / self.columns * CELL_LINES)
    }
}

/// Places the panels from left to right, and in the next row where a row is full.
pub(super) fn arrange(world: &World, panels: &[Panel], room: usize) -> Vec<Area> {
    let (mut left, mut top, mut row) = (0, 0, 0);
    let mut areas = Vec::with_capacity(panels.len());
    for &panel in panels {
        let columns = panel.columns(world, room);
        let cells = panel.cells(world);
        let title = width(&panel.name(world)) + 2 + width(&panel.usage(world));
        let wide = (columns * CELL).max(title).min(room);
        let height = 1 + cells.div_ceil(columns) * CELL_LINES + 1;
        if left > 0 && left + wide > room {
            (left, top, row) = (0, top + row, 0);
        }
        areas.push(Area { left, top, width: wide, height, columns });
        left += wide + GAP;
        row = row.max(height);
    }
    areas
}
