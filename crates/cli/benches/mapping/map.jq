# The lane `pages` of diaporos.toml beside this file, in jq.
def slug: ascii_downcase | gsub("[^a-z0-9]+"; "-");
def shorten($most):
  if length <= $most then . else
    .[:$most - 1] as $kept
    | (if .[$most - 1:$most] == " " then $kept else ($kept | sub(" [^ ]*$"; "")) end)
    | sub("[ ,;:-]+$"; "") + "…"
  end;
{ "fern": "Woods", "moss": "Woods", "heath": "Open ground", "bog": "Wetlands", "pond": "Wetlands" } as $sections
| select(.state == "live")
| { address: ("depot/plant/" + .id),
    fields: {
      slug: (.slug | slug),
      heading: .common_name,
      teaser: (.summary | map_values(shorten(60))),
      body: .description,
      section: ($sections[.family] // "Garden"),
      byline: (.editor // .curator),
      live_at: (first(.schedule[] | select(.action == "open")).at // .published),
      topics: (reduce (.tags + [.family])[] as $tag ([]; if index([$tag]) then . else . + [$tag] end)) } }
