//! What may help somebody whose file is not there.

use std::path::{Path, PathBuf};

use emvo_core::rules;
use walkdir::WalkDir;

/// A sentence behind a message that there is no such file; nothing where nobody can know.
pub(super) fn hint_for(path: &Path) -> String {
    let text = path.to_string_lossy();
    if let Some(rule) = rules::rule(&text) {
        return format!("; {} is a rule, which `emvo rules {}` explains", rule.id(), rule.id());
    }
    if text.contains("://") {
        return "; Emvo opens no connection: download the export, and name the file".to_owned();
    }
    if text.starts_with('~') {
        return "; inside quotes `~` is not your folder: leave it outside of them".to_owned();
    }
    let slashed = PathBuf::from(text.replace('\\', "/"));
    if slashed.exists() {
        return format!("; did you mean `{}`?", slashed.display());
    }
    near(path).map_or_else(String::new, |near| format!("; did you mean `{}`?", near.display()))
}

/// The file in the same folder whose name is nearest, if it is near enough.
fn near(path: &Path) -> Option<PathBuf> {
    let name = path.file_name()?.to_string_lossy().into_owned();
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let names = WalkDir::new(folder).min_depth(1).max_depth(1).sort_by_file_name().into_iter().flatten();
    let names = names.map(|entry| entry.file_name().to_string_lossy().into_owned());
    let distance = |other: &String| strsim::levenshtein(&name.to_lowercase(), &other.to_lowercase());
    let near = names.min_by_key(distance).filter(|other| distance(other) <= 1 + name.chars().count() / 4)?;
    Some(path.with_file_name(near))
}
