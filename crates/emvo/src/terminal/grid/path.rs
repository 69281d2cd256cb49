//! Paths where there is no room for all of their folders.

use hashbrown::HashSet;
use textwrap::core::display_width;

/// The least room in which all of some paths are still told apart.
pub(super) fn least_of_paths(paths: &[&str]) -> usize {
    let deepest = paths.iter().map(|path| path.split('/').count()).max().unwrap_or(1);
    let ends = |folders: usize| paths.iter().map(move |path| end_of(path, folders)).collect::<Vec<_>>();
    let whole: HashSet<&str> = paths.iter().copied().collect();
    let are_told_apart =
        |folders: &usize| ends(*folders).into_iter().collect::<HashSet<_>>().len() == whole.len();
    let folders = (0..deepest).find(are_told_apart).unwrap_or(deepest);
    ends(folders).iter().map(|end| display_width(end)).max().unwrap_or(0)
}

/// The last part of a path, with so many of the folders in front of it.
fn end_of(path: &str, folders: usize) -> String {
    let parts: Vec<&str> = path.split('/').collect();
    let from = parts.len().saturating_sub(folders + 1);
    if from == 0 { path.to_owned() } else { format!("…/{}", parts[from..].join("/")) }
}

/// A path that fits, with as many of its folders as there is room for.
pub(super) fn shortened(path: &str, width: usize) -> String {
    let folders = path.split('/').count();
    let ends = (0..folders).rev().map(|folders| end_of(path, folders));
    ends.into_iter().find(|end| display_width(end) <= width).unwrap_or_else(|| end_of(path, 0))
}
