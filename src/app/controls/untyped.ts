// Components of Element Plus whose published types describe their options instead of their props.
import 'element-plus/es/components/config-provider/style/css'
import 'element-plus/es/components/option/style/css'
import 'element-plus/es/components/segmented/style/css'
import 'element-plus/es/components/table-v2/style/css'
import { ElConfigProvider } from 'element-plus/es/components/config-provider/index'
import { ElOption } from 'element-plus/es/components/select/index'
import { ElSegmented } from 'element-plus/es/components/segmented/index'
import { ElTableV2 } from 'element-plus/es/components/table-v2/index'
import type { Column } from 'element-plus'
import type { DefineComponent } from 'vue'

type Props<P> = DefineComponent<P>
type Value = string | number

export const ConfigProvider = ElConfigProvider as unknown as Props<{ size?: 'small' }>
export const Segmented = ElSegmented as unknown as Props<{
  modelValue: Value
  options: readonly { readonly value: Value; readonly label: string }[]
  disabled?: boolean
  ariaLabel?: string
  onChange?: (value: Value) => void
}>
export const Choice = ElOption as unknown as Props<{ value: Value; label: string }>
export const VirtualTable = ElTableV2 as unknown as Props<{
  columns: readonly Column[]
  data: readonly unknown[]
  width: number
  height: number
  rowHeight: number
  headerHeight: number
}>
