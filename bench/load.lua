-- Requests for wrk: each line of the file is a token, a tab and a body. Where BANDEJO_UNIQUE is set, every request gets an attempt of its own, which began
-- after those that the same device reported before. All are made before the clock runs, so that making them is not measured; their number is BANDEJO_COUNT.
local path, unique = os.getenv("BANDEJO_PATH"), os.getenv("BANDEJO_UNIQUE")
local made, at = {}, 0

local function format(token, body)
  local headers = { ["Content-Type"] = "application/json" }
  if #token > 0 then headers["Authorization"] = "Bearer " .. token end
  return wrk.format("POST", path, headers, body)
end

function init()
  local entries = {}
  for line in io.lines(os.getenv("BANDEJO_REQUESTS")) do
    local token, body = line:match("([^\t]*)\t(.*)")
    entries[#entries + 1] = format(token, body)
    if unique ~= "" then
      local length = #body + 32 - #"@ATTEMPT@" + 2 * (23 - 19)
      entries[#entries] = format(token, body):gsub("Content%-Length: %d+", "Content-Length: " .. length)
    end
  end
  if unique == "" then
    made = entries
    return
  end
  local second = os.date("!%Y-%m-%dT%H:%M:%S")
  for count = 1, tonumber(os.getenv("BANDEJO_COUNT")) do
    local began = string.format("%s.%03d", second, math.floor((count - 1) / #entries))
    made[count] = entries[(count - 1) % #entries + 1]:gsub("@ATTEMPT@", string.format("%s%024d", unique, count)):gsub("2026%-01%-01T00:0[02]:00", began)
  end
end

function request()
  at = at + 1
  if at > #made then
    if unique ~= "" then error("more requests were sent than were made") end
    at = 1
  end
  return made[at]
end
