-- Requests for wrk: each line of the file is a token, a tab and a body. Where BANDEJO_UNIQUE is set, every request gets an attempt of its own.
local entries = {}
for line in io.lines(os.getenv("BANDEJO_REQUESTS")) do
  local token, body = line:match("([^\t]*)\t(.*)")
  entries[#entries + 1] = { token = token, body = body }
end
local path, unique = os.getenv("BANDEJO_PATH"), os.getenv("BANDEJO_UNIQUE")
local made, at, count = {}, 0, 0

local function format(entry, body)
  local headers = { ["Content-Type"] = "application/json" }
  if #entry.token > 0 then headers["Authorization"] = "Bearer " .. entry.token end
  return wrk.format("POST", path, headers, body)
end

function request()
  at = at % #entries + 1
  if unique == "" then
    made[at] = made[at] or format(entries[at], entries[at].body)
    return made[at]
  end
  count = count + 1
  return format(entries[at], (entries[at].body:gsub("@ATTEMPT@", string.format("%s%024d", unique, count))))
end
