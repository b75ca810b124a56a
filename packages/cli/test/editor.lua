-- Drives the language server with Neovim's own client and prints every answer as one line of JSON.
-- Run as: nvim --headless -u NONE -c "luafile editor.lua" FILE, with ZANY the command line's bundle.

local out = io.open(vim.env.ZANY_OUT, "w")
local function tell(name, value)
  out:write(vim.fn.json_encode({ name = name, value = value == nil and vim.NIL or value }), "\n")
  out:flush()
end

local buffer = vim.api.nvim_get_current_buf()
vim.bo[buffer].filetype = "zany"
local client = vim.lsp.start_client({ name = "zany", cmd = { "node", vim.env.ZANY, "lsp" }, root_dir = vim.fn.expand("%:p:h") })
vim.lsp.buf_attach_client(buffer, client)

local function diagnostics(want)
  vim.wait(60000, function()
    return want(vim.diagnostic.get(buffer))
  end, 20)
  return vim.tbl_map(function(d)
    return { line = d.lnum + 1, column = d.col + 1, code = d.code or (d.user_data and d.user_data.lsp and d.user_data.lsp.code), message = d.message, severity = d.severity }
  end, vim.diagnostic.get(buffer))
end

-- What comes within a while without being waited for.
local function settled()
  vim.wait(700, function() return false end, 50)
  return diagnostics(function() return true end)
end

local function at(line, column)
  return { textDocument = vim.lsp.util.make_text_document_params(buffer), position = { line = line - 1, character = column - 1 } }
end

local function ask(method, params)
  local answers = vim.lsp.buf_request_sync(buffer, method, params, 60000)
  local answer = answers and answers[client]
  return answer and (answer.result or answer.error)
end

-- Finds a text: its line and column, both from 1, as in the messages.
local function place(text, nth)
  local found = 0
  for number, line in ipairs(vim.api.nvim_buf_get_lines(buffer, 0, -1, false)) do
    local from = 1
    while true do
      local s, e = line:find(text, from, true)
      if not s then break end
      found = found + 1
      if found == (nth or 1) then return number, s, e end
      from = e + 1
    end
  end
end

local function write(lines, text)
  vim.api.nvim_buf_set_lines(buffer, lines - 1, lines, false, text)
end

vim.wait(60000, function() return vim.lsp.buf_get_clients(buffer)[client] ~= nil and vim.lsp.get_client_by_id(client).initialized end, 20)
tell("well", settled())

-- A misspelt name: told while typing, fixed by its code action.
local line = place("kites[target].lift -= hit")
local before = vim.api.nvim_buf_get_lines(buffer, line - 1, line, false)[1]
write(line, { (before:gsub("lift", "lfit")) })
tell("misspelt", diagnostics(function(d) return #d > 0 end))
local params = at(line, 17)
params.range = { start = params.position, ["end"] = params.position }
params.context = { diagnostics = {} }
local actions = ask("textDocument/codeAction", params)
tell("fixes", vim.tbl_map(function(a) return a.title end, actions))
vim.lsp.util.apply_workspace_edit(actions[1].edit, "utf-16")
tell("fixed", vim.api.nvim_buf_get_lines(buffer, line - 1, line, false)[1] == before)
tell("no problems", diagnostics(function(d) return #d == 0 end))

-- Completion knows the place.
local function complete(text)
  local last = vim.api.nvim_buf_line_count(buffer)
  write(line, { before, text })
  local items = ask("textDocument/completion", at(line + 1, #text + 1))
  vim.api.nvim_buf_set_lines(buffer, line, line + 1, false, {})
  return vim.tbl_map(function(i) return i.label end, items or {})
end
tell("after a dot", complete("  kites[target]."))
tell("names", complete("  let x = sh"))
local turn = place("action cutLoose -> Flown(next(me))")
local cut = vim.api.nvim_buf_get_lines(buffer, turn - 1, turn, false)[1]
write(turn, { "    action cutLoose -> " })
tell("after an arrow", vim.tbl_map(function(i) return i.label end, ask("textDocument/completion", at(turn, 24))))
write(turn, { cut })

-- Hover, definition, references, signature, outline, formatting.
local l, c = place("shield(target)")
tell("hover", ask("textDocument/hover", at(l, c + 1)).contents.value)
tell("definition", vim.tbl_map(function(d) return d.range.start.line + 1 end, ask("textDocument/definition", at(l, c + 1))))
local sl, sc = place("Struck(source: seat")
local refs = at(sl, sc + 1)
refs.context = { includeDeclaration = true }
tell("references", vim.tbl_map(function(d) return d.range.start.line + 1 end, ask("textDocument/references", refs)))
local cl, cc = place("strike(me, target")
tell("signature", ask("textDocument/signatureHelp", at(cl, cc + 11)))
local function names(items)
  return vim.tbl_map(function(s) return { s.name, s.detail or "", names(s.children or {}) } end, items)
end
tell("outline", names(ask("textDocument/documentSymbol", { textDocument = vim.lsp.util.make_text_document_params(buffer) })))
local unkempt = place("action brace")
local kempt = vim.api.nvim_buf_get_lines(buffer, unkempt - 1, unkempt, false)[1]
write(unkempt, { "action brace {kites[me].braced=true} -> Judge" })
local edits = ask("textDocument/formatting", { textDocument = vim.lsp.util.make_text_document_params(buffer), options = { tabSize = 2, insertSpaces = true } })
vim.lsp.util.apply_text_edits(edits, buffer, "utf-16")
tell("formatted", vim.api.nvim_buf_get_lines(buffer, unkempt - 1, unkempt, false)[1] == kempt)

-- What is suspected is held against matches once the text is left alone.
write(turn, { "    action cutLoose { kites[me].gust = floor(10 / kites[me].tape) } -> Flown(next(me))" })
tell("suspected", #diagnostics(function(d) return #d > 0 end))
tell("shown", diagnostics(function(d) return #d > 0 and d[1].message:find("A match shows it", 1, true) ~= nil end))
write(turn, { cut })

-- Renaming, everywhere or not at all; what was suspected of the text before is gone first, and what is told
-- of a text that has only some of the edits passes.
diagnostics(function(d) return #d == 0 end)
local rl, rc = place("lift:")
local params2 = at(rl, rc + 1)
params2.newName = "height"
vim.lsp.util.apply_workspace_edit(ask("textDocument/rename", params2), "utf-16")
settled()
tell("renamed", { #vim.tbl_filter(function(x) return x:find("lift:", 1, true) or x:find(".lift", 1, true) end, vim.api.nvim_buf_get_lines(buffer, 0, -1, false)), #diagnostics(function(d) return #d == 0 end) })
params2.newName = "guard"
tell("refused", ask("textDocument/rename", params2).message)

vim.lsp.stop_client(client)
out:close()
vim.cmd("qall!")
