//! new: a minimal ruleset with a scenario and a claim, to start from.

use std::path::Path;

use super::demo::write_folder;
use super::{Output, Verdict};
use crate::args::Format;
use crate::files::InputError;
use crate::inputs::quoted;

const FILES: [(&str, &str); 3] = [
    ("rules.toml", include_str!("../../new/rules.toml")),
    ("first.scenario", include_str!("../../new/first.scenario")),
    ("first.claims", include_str!("../../new/first.claims")),
];

pub(crate) fn run(output: &mut Output, folder: &Path) -> Result<Verdict, InputError> {
    write_folder(folder, &FILES)?;
    let written: Vec<String> = FILES.iter().map(|(path, _)| folder.join(path).display().to_string()).collect();
    if output.format == Format::Json {
        output.write_json(&serde_json::json!({ "written": written }))?;
        return Ok(Verdict::Good);
    }
    let mut page = output.page();
    written.iter().for_each(|path| page.plain(&format!("wrote  {path}")).end());
    page.next(&format!("hypotheke verify {}", quoted(&folder.display().to_string())));
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}
